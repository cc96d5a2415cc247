"""The take and keyframes in the real browser: cropped, turned, retimed, changed over time, delivered, and undone."""

import re
import subprocess
from pathlib import Path

import numpy as np
import pytest
from bench_page import choose, deliver, go_to, open_own_shot, pixels, revision, set_value, settled, value
from PIL import Image
from playwright.sync_api import Page, expect

from conftest import House, wait_for
from plates import green_clip
from upholster.studio.renders import listed
from upholster.studio.shots import shots
from upholster.studio.stock import search, stock

pytestmark = pytest.mark.e2e


@pytest.fixture(scope="module")
def clip(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return green_clip(tmp_path_factory.mktemp("take") / "reel.mp4", 24, 0.015)


@pytest.fixture
def bench(page: Page, clip: Path) -> Page:
    """The Bench with a shot of its own for the test, its first line unfolded."""
    open_own_shot(page, clip)
    page.keyboard.press("1")
    return page


def shot_of(page: Page) -> int:
    return int(page.url.rsplit("/", 1)[1])


def take_of(page: Page) -> dict[str, object]:
    return shots.open_shot(shot_of(page)).recipe.take.model_dump()


def test_sides_are_dragged_in_taken_back_and_undone(bench: Page) -> None:
    page = bench
    page.keyboard.press("c")
    handle = page.locator("[data-handle=left]")
    box = handle.bounding_box()
    stage = page.locator("#stage").bounding_box()
    assert box and stage
    x, y, scale = box["x"] + 9, box["y"] + 9, stage["width"] / 320

    def pull(to: float) -> None:
        page.mouse.move(x, y)
        page.mouse.down()
        page.mouse.move(x + to * scale, y, steps=6)

    pull(40)
    expect(value(page, "Cut at the left")).to_have_text(re.compile(r"^(38|40|42) px"))
    page.keyboard.press("Escape")
    page.mouse.up()
    expect(value(page, "Cut at the left")).to_have_text("0 px")
    at = revision(page)
    pull(40)
    page.mouse.up()
    expect(page.locator("#revision")).to_have_text(str(at + 1))
    page.locator("[data-handle=top]").press("ArrowDown")
    expect(value(page, "Cut at the top")).to_have_text("2 px")
    placed = page.locator("[data-handle=top]").get_attribute("x")
    page.set_viewport_size({"width": 1200, "height": 800})
    expect(page.locator("[data-handle=top]")).not_to_have_attribute("x", placed or "")
    expect(page.locator("[data-handle=top]")).to_be_focused()
    expect(page.locator("#take-result")).to_contain_text("24 frames of 280×178")
    page.keyboard.press("Enter")
    expect(page.locator("[data-handle=left]")).to_have_count(0)
    wait_for(lambda: pixels(page).shape[:2] == (178, 280))
    page.keyboard.press("Control+z")
    page.keyboard.press("Control+z")
    wait_for(lambda: pixels(page).shape[:2] == (180, 320))
    page.keyboard.press("Control+Shift+z")
    wait_for(lambda: take_of(page)["crop_left"] == 40)


def test_numbers_of_the_take_keep_within_the_plate(bench: Page) -> None:
    page = bench
    set_value(page, "Cut at the left", "5000")
    expect(value(page, "Cut at the left")).to_have_text("304 px")
    set_value(page, "Cut at the right", "50")
    expect(value(page, "Cut at the right")).to_have_text("0 px")
    for label, typed, shown in (("Speed", "3", "10 %"), ("Speed", "99999", "1000 %"), ("End held", "-4", "0")):
        set_value(page, label, typed)
        expect(value(page, label)).to_have_text(shown)
    value(page, "Speed").press("Enter")
    page.keyboard.type("abc")
    page.keyboard.press("Enter")
    expect(value(page, "Speed")).to_have_text("1000 %")


def test_a_retimed_take_is_counted_shown_and_delivered_as_it_says(bench: Page, house: House, tmp_path: Path) -> None:
    page = bench
    expect(page.locator("#counting")).to_be_hidden()
    set_value(page, "First frame", "4")
    set_value(page, "Speed", "50")
    page.get_by_label("Direction").select_option(label="backwards")
    page.get_by_label("Frames in between").select_option(label="blended")
    set_value(page, "End held", "5")
    page.get_by_label("Quarter turns").select_option(label="to the right")
    page.get_by_label("Mirror left for right").click()
    expect(page.locator("#take-more")).to_have_text(
        ", at 50 % speed, backwards, held for 5 frames, mirrored, turned by 90°"
    )
    expect(page.locator("#take-result")).to_have_text("Gives 45 frames of 180×320.")
    page.keyboard.press("Escape")
    page.locator("#booth").click(position={"x": 3, "y": 3})
    page.keyboard.press("t")
    page.keyboard.press("Home")
    expect(page.locator("#of-plate")).to_have_text("shows 23 of the plate")
    page.keyboard.press("End")
    expect(page.get_by_label("Frame number")).to_have_value("44")
    expect(page.locator("#of-plate")).to_have_text("shows 4 of the plate")
    wait_for(lambda: pixels(page).shape[:2] == (320, 180))
    settled(page)
    shown = pixels(page)
    page.reload()
    expect(page.locator("#of-plate")).to_have_text("shows 4 of the plate")
    choose(page, "pictures", "png16")
    page.get_by_label("Name", exact=True).fill("reel_back")
    page.get_by_role("button", name="Render").click()
    expect(page.locator("#says")).to_contain_text("reel_back is being made")
    wait_for(lambda: any(c.name == "reel_back" for c in search.clips()))
    clip = next(c for c in search.clips() if c.name == "reel_back")
    assert (clip.width, clip.height, clip.frames) == (180, 320, 45)
    proof = listed.proof_of(clip.render)
    assert proof and proof.passed
    page.goto("/stockroom")
    with page.expect_download() as download:
        page.locator('[data-clip="reel_back"]').get_by_role("link", name="Download").click()
    packed = tmp_path / "reel.zip"
    download.value.save_as(packed)
    subprocess.run(["unzip", "-q", str(packed), "-d", str(tmp_path / "out")], check=True)
    pictures = sorted((tmp_path / "out").rglob("*.png"))
    assert len(pictures) == 45
    with Image.open(pictures[-1]) as last, Image.open(pictures[-6]) as before:
        assert last.size == (180, 320)
        assert np.array_equal(np.asarray(last), np.asarray(before))
        alpha = np.asarray(last.getchannel("A"), np.float32)
    # What was delivered last is what was looked at.
    assert np.abs(alpha / alpha.max() - shown[..., 3] / 255).mean() < 0.004


def test_playing_counts_frames_as_delivered(bench: Page) -> None:
    page = bench
    set_value(page, "Speed", "25")
    # Frames can be counted another way once the house has said how they come out.
    expect(page.locator("#counting")).to_be_visible()
    page.locator("#booth").click(position={"x": 3, "y": 3})
    page.keyboard.press("t")
    page.keyboard.press(" ")
    expect(page.locator("#speed")).to_contain_text("frames a second", timeout=20_000)
    page.keyboard.press(" ")
    number = int(page.get_by_label("Frame number").input_value())
    expect(page.locator("#of-plate")).to_have_text(f"shows {number // 4} of the plate")


def test_a_value_changes_over_time_on_screen_and_in_the_render(bench: Page, house: House) -> None:
    """The job it serves: a limb that passes through thin light needs another choice for some frames only."""
    page = bench
    page.keyboard.press("1")
    page.keyboard.press("6")
    choke = value(page, "Edge choke")
    choke.focus()
    page.keyboard.press("k")
    mark = page.get_by_label("Keyframe: Edge choke")
    expect(mark).to_have_attribute("aria-pressed", "true")
    go_to(page, 20)
    expect(mark).to_have_attribute("data-state", "elsewhere")
    set_value(page, "Edge choke", "8")
    expect(mark).to_have_attribute("data-state", "here")
    page.locator("#booth").click(position={"x": 3, "y": 3})
    go_to(page, 10)
    expect(choke).to_have_text("4.0 px")
    page.keyboard.press(".")
    expect(page.get_by_label("Frame number")).to_have_value("20")
    page.keyboard.press(",")
    expect(page.get_by_label("Frame number")).to_have_value("0")
    way = page.get_by_label("Way to the next keyframe")
    way.select_option(label="holds")
    page.locator("#booth").click(position={"x": 3, "y": 3})
    go_to(page, 10)
    expect(choke).to_have_text("0.0 px")
    expected = [{"frame": 0, "value": 0.0, "next": "hold"}, {"frame": 20, "value": 8.0, "next": "smooth"}]
    wait_for(lambda: shots.open_shot(shot_of(page)).recipe.edge.model_dump(mode="json")["choke"] == expected)
    # In the render: the disc is smaller from frame 20 on.
    choose(page, "archive", "ffv1")
    file = stock.file_of(deliver(page, "limb"))
    asked = ["ffmpeg", "-v", "error", "-i", str(file), "-vf", "alphaextract", "-pix_fmt", "gray", "-f", "rawvideo", "-"]
    alpha = np.frombuffer(subprocess.run(asked, check=True, capture_output=True).stdout, np.uint8).reshape(24, -1)
    area = alpha.mean(axis=1)
    assert np.ptp(area[:20]) < 0.02 * area[0] and (area[20:] < 0.8 * area[0]).all()
    page.locator("#booth").click(position={"x": 3, "y": 3})
    page.keyboard.press("Control+z")
    expect(choke).to_have_text("4.0 px")


def test_keyframes_are_dragged_copied_removed_and_undone(bench: Page) -> None:
    page = bench
    page.keyboard.press("1")
    page.keyboard.press("3")
    specks = value(page, "Specks smaller than")
    specks.focus()
    page.keyboard.press("k")
    go_to(page, 12)
    set_value(page, "Specks smaller than", "10")
    course = page.get_by_role("img", name="Course of Specks smaller than")
    course.scroll_into_view_if_needed()
    expect(course.locator("circle")).to_have_count(2)
    settled(page)
    # In one step: the circles are drawn anew whenever something arrives.
    box = course.evaluate("svg => svg.querySelectorAll('circle')[1].getBoundingClientRect().toJSON()")
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + 60, y, steps=5)
    expect(course.locator("circle")).to_have_count(2)
    page.keyboard.press("Escape")
    page.mouse.up()
    track = lambda: shots.open_shot(shot_of(page)).recipe.matte.model_dump(mode="json")["specks"]  # noqa: E731
    wait_for(lambda: [k["frame"] for k in track()] == [0, 12])
    at = revision(page)
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + 60, y, steps=5)
    page.mouse.up()
    expect(page.locator("#revision")).to_have_text(str(at + 1))
    assert track()[1]["frame"] in range(15, 19)
    specks.focus()
    page.keyboard.press("Control+c")
    expect(page.locator("#says")).to_contain_text("2 keyframes copied")
    holes = value(page, "Holes closed up to")
    holes.focus()
    page.keyboard.press("Control+v")
    wait_for(lambda: shots.open_shot(shot_of(page)).recipe.matte.model_dump(mode="json")["fill_holes"] == track())
    course = page.get_by_role("img", name="Course of Holes closed up to")
    course.scroll_into_view_if_needed()
    course.locator("circle").nth(0).dblclick()
    wait_for(lambda: len(shots.open_shot(shot_of(page)).recipe.matte.fill_holes) == 1)  # type: ignore[arg-type]
    page.keyboard.press("Control+z")
    wait_for(lambda: len(shots.open_shot(shot_of(page)).recipe.matte.fill_holes) == 2)  # type: ignore[arg-type]
    page.reload()
    expect(page.get_by_role("img", name="Course of Holes closed up to")).to_be_visible()


def test_picture_requests_are_small_while_a_value_is_dragged(bench: Page) -> None:
    page = bench
    sizes: list[int] = []
    page.on("request", lambda r: sizes.append(len(r.post_data or "")) if r.url.endswith("/picture") else None)
    box = value(page, "Clear below").bounding_box()
    assert box
    page.mouse.move(box["x"] + 4, box["y"] + 4)
    page.mouse.down()
    page.mouse.move(box["x"] + 60, box["y"] + 4, steps=12)
    page.mouse.up()
    wait_for(lambda: len(sizes) > 3)
    assert max(sizes) < 1000
