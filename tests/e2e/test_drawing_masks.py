"""Masks in the real browser: drawn, reshaped over time, kept, limiting, joined, delivered, and undone."""

import io
import zipfile
from pathlib import Path

import av
import numpy as np
import pytest
from bench_page import at, bring_in, choose, deliver, go_to, open_bench, open_own_shot, pixels, revision, settled, value
from PIL import Image
from playwright.sync_api import Page, expect

from conftest import House, wait_for
from plates import studio_clip
from upholster.core.documents.masks import Mask
from upholster.studio.shots import shots
from upholster.studio.stock import stock

pytestmark = pytest.mark.e2e


@pytest.fixture(scope="module")
def clip(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return studio_clip(tmp_path_factory.mktemp("masks") / "stand.mp4", 21, walls=False)


@pytest.fixture
def bench(page: Page, clip: Path) -> Page:
    """The Bench with a shot of its own for the test, the line of masks unfolded, on frame 0."""
    open_own_shot(page, clip)
    page.keyboard.press("4")
    return page


def pull(page: Page, start: tuple[float, float], end: tuple[float, float]) -> None:
    page.mouse.move(*at(page, *start))
    page.mouse.down()
    page.mouse.move(*at(page, *end), steps=6)
    page.mouse.up()


def saved(page: Page, number: int) -> None:
    expect(page.locator("#revision")).to_have_text(str(number))


def masks_of(page: Page) -> list[Mask]:
    held = shots.open_shot(int(page.url.rsplit("/", 1)[1])).recipe.masks
    return [held.each[mark] for mark in held.order]


def draw(page: Page, how: str, start: tuple[float, float], end: tuple[float, float]) -> None:
    number = revision(page) + 1
    page.get_by_role("button", name=how, exact=True).click()
    pull(page, start, end)
    saved(page, number)


def alpha_at(page: Page, x: int, y: int) -> int:
    return int(pixels(page)[y, x, 3])


def test_a_shape_follows_by_being_reshaped_and_goes_back_by_undo(bench: Page) -> None:
    """A loose shape around the subject, reshaped on three more frames; in between it goes along."""
    page = bench
    draw(page, "Rectangle", (70, 30), (190, 150))
    wait_for(lambda: alpha_at(page, 10, 90) == 0 and alpha_at(page, 300, 5) == 0)
    for last, frame in ((0, 7), (7, 14), (14, 20)):
        go_to(page, frame)
        before = revision(page)
        # By its outline: all of it is moved, on this frame.
        pull(page, (70 + 3 * last, 90), (70 + 3 * frame, 90))
        saved(page, before + 1)
    (mask,) = masks_of(page)
    assert mask.course.frames == (0, 7, 14, 20)
    for frame in (4, 10, 17):
        go_to(page, frame)
        x = 130 + 3 * frame
        assert mask.course.at(frame)[:, 0].min() == pytest.approx(70 + 3 * frame, abs=3)
        wait_for(lambda x=x: alpha_at(page, x + 30, 60) > 240 and alpha_at(page, x - 68, 90) == 0)
    page.reload()
    settled(page)
    (again,) = masks_of(page)
    assert again == mask
    at_first = revision(page)
    for _ in range(2):
        page.keyboard.press("Control+z")
        settled(page)
    saved(page, at_first - 2)
    assert masks_of(page)[0].course.frames == (0, 7)
    page.keyboard.press("Control+Shift+z")
    saved(page, at_first - 1)


def test_forty_steps_of_drawing_are_undone_and_done_again_across_a_reload(bench: Page) -> None:
    page = bench
    first = revision(page)
    page.get_by_role("button", name="Corners", exact=True).click()
    places = [(160 + 100 * np.cos(t), 90 + 70 * np.sin(t)) for t in np.linspace(0, 5.8, 38)]
    for number, place in enumerate(places):
        page.mouse.click(*at(page, *place))
        saved(page, first + 1 + number)
    assert not masks_of(page)[0].course.closed
    page.reload()
    settled(page)
    page.locator("#mask-list").get_by_text("Mask 1", exact=True).click()
    page.get_by_role("button", name="Corners", exact=True).click()
    page.mouse.click(*at(page, 262, 60))
    saved(page, first + 39)
    page.mouse.click(*at(page, *places[0]))
    saved(page, first + 40)
    (mask,) = masks_of(page)
    assert mask.course.closed and mask.course.points.shape == (1, 39, 8)
    wait_for(lambda: alpha_at(page, 5, 175) == 0)
    for number in range(40):
        page.keyboard.press("Control+z")
        saved(page, first + 39 - number)
    assert masks_of(page) == []
    for number in range(40):
        page.keyboard.press("Control+Shift+z")
        saved(page, first + 1 + number)
    assert masks_of(page) == [mask]


def test_an_emblem_is_kept_and_a_corner_has_its_own_tolerance(bench: Page) -> None:
    page = bench
    wait_for(lambda: alpha_at(page, 130, 90) < 60)
    draw(page, "Ellipse", (107, 67), (153, 113))
    page.get_by_label("What the mask does").select_option("keep_inside")
    wait_for(lambda: alpha_at(page, 130, 90) == 255)
    assert pixels(page)[90, 130, 1] > 130, "its own green stays"
    go_to(page, 20)
    before = revision(page)
    # Between two of its points.
    pull(page, (130 - 16.3, 90 - 16.3), (190 - 16.3, 90 - 16.3))
    saved(page, before + 1)
    for frame in (0, 5, 10, 15, 20):
        go_to(page, frame)
        wait_for(lambda frame=frame: alpha_at(page, 130 + 3 * frame, 90) == 255)
    go_to(page, 0)
    draw(page, "Rectangle", (52, 128), (132, 178))
    page.get_by_label("What the mask does").select_option("limit")
    page.get_by_label("Line that is limited").select_option("levels")
    expect(page.locator("#masks-sentence")).to_contain_text("limit to its inside: clear and solid")
    settled(page)
    before = pixels(page)[..., 3]
    value(page, "Clear below").focus()
    page.keyboard.type("60")
    page.keyboard.press("Enter")
    settled(page)
    wait_for(lambda: not np.array_equal(pixels(page)[..., 3], before))
    after = pixels(page)[..., 3].astype(int)
    assert after[150:176, 54:100].max() < 20, "the corner is clear"
    assert np.abs(after[40:60, 150:280] - before[40:60, 150:280]).max() <= 40


def test_points_are_picked_scaled_nudged_smoothed_and_taken_away(bench: Page) -> None:
    page = bench
    draw(page, "Rectangle", (100, 50), (180, 130))
    # The two points at the right, by a rectangle drawn around them.
    pull(page, (170, 30), (210, 150))
    expect(page.locator("#mask-count")).to_have_text("2 chosen points:")
    before = revision(page)
    page.keyboard.press("ArrowRight")
    page.keyboard.press("Shift+ArrowRight")
    saved(page, before + 1)
    assert masks_of(page)[0].course.points[0, 1:3, 0] == pytest.approx([191, 191], abs=0.6)
    page.get_by_label("Feather of chosen points outward").fill("12")
    page.get_by_label("Feather of chosen points outward").press("Enter")
    saved(page, before + 2)
    assert masks_of(page)[0].course.points[0, :, 7].tolist() == [0, 12, 12, 0]
    page.get_by_role("button", name="smooth", exact=True).click()
    saved(page, before + 3)
    assert masks_of(page)[0].course.points[0, 1:3, 2:6].any(axis=1).all()
    # A double click on the outline adds a point, one on a point makes it sharp or smooth.
    page.mouse.dblclick(*at(page, 100, 90))
    saved(page, before + 4)
    assert masks_of(page)[0].course.points.shape[1] == 5
    page.keyboard.press("Delete")
    saved(page, before + 5)
    assert masks_of(page)[0].course.points.shape[1] == 4
    pull(page, (100, 50), (120, 70))
    page.keyboard.press("Escape")
    page.keyboard.press("h")
    expect(page.locator("#overlay .contour")).to_have_count(0)
    page.keyboard.press("h")
    expect(page.locator("#overlay .contour").first).to_be_attached()
    page.get_by_label("Mask 1 locked").click()
    saved(page, before + 7)
    assert masks_of(page)[0].locked
    pull(page, (120, 70), (60, 20))
    settled(page)
    assert revision(page) == before + 7


def test_an_escape_takes_a_drag_back_and_what_is_sent_stays_small(bench: Page) -> None:
    page = bench
    draw(page, "Ellipse", (100, 50), (180, 130))
    before = masks_of(page)
    sizes: list[int] = []
    page.on("request", lambda r: sizes.append(len(r.post_data or "")) if "/picture" in r.url else None)
    page.mouse.move(*at(page, 180, 90))
    page.mouse.down()
    page.mouse.move(*at(page, 230, 60), steps=8)
    page.keyboard.press("Escape")
    page.mouse.up()
    settled(page)
    assert masks_of(page) == before
    assert sizes and max(sizes) < 2000


def test_an_emblem_is_followed_corrected_and_its_keyframes_thinned(bench: Page) -> None:
    """The patch goes 3 pixels a frame; the mask is drawn on one frame only and goes along by itself."""
    page = bench
    draw(page, "Rectangle", (112, 72), (148, 108))
    page.get_by_label("What the mask does").select_option("keep_inside")
    page.get_by_label("How it moves").select_option("translation")
    settled(page)
    before = revision(page)
    page.locator("#follow-on").click()
    saved(page, before + 1)
    expect(page.get_by_label("Frame number")).to_have_value("20")
    expect(page.locator("#follow-said")).to_contain_text("features missed their place by 0.")
    (mask,) = masks_of(page)
    for frame in (5, 12, 20):
        left, top = mask.course.at(frame)[:, :2].min(axis=0)
        assert (left, top) == pytest.approx((112 + 3 * frame, 72), abs=0.5)
        go_to(page, frame)
        wait_for(lambda frame=frame: alpha_at(page, 130 + 3 * frame, 90) == 255)
    page.get_by_role("button", name="thin them").click()
    saved(page, before + 2)
    assert len(masks_of(page)[0].course.frames) < 8


def test_a_screen_too_small_is_keyed_without_the_studio_unasked(page: Page, tmp_path: Path) -> None:
    """Imported, keyed, delivered: nothing of walls, lamp and stand in any frame of the file, opened by Pillow."""
    bring_in(page, studio_clip(tmp_path / "studio.mp4", 13))
    expect(page.get_by_role("link", name="Open studio on the Bench")).to_be_visible(timeout=60_000)
    open_bench(page, "studio")
    expect(page.locator("#found")).to_contain_text("leaves out what stands around the screen")
    (mask,) = masks_of(page)
    assert mask.does == "discard_outside" and mask.course.points.shape[1] == 12
    page.keyboard.press("4")
    expect(page.locator("#mask-list")).to_contain_text("Garbage")
    page.keyboard.press("9")
    choose(page, "pictures", "png8")
    with zipfile.ZipFile(stock.file_of(deliver(page, "kept"))) as archive:
        names = sorted(n for n in archive.namelist() if n.endswith(".png"))
        assert len(names) == 13
        for number, name in enumerate(names):
            alpha = np.asarray(Image.open(io.BytesIO(archive.read(name))))[..., 3]
            studio = np.ones(alpha.shape, bool)
            studio[14:, 50:290] = False
            assert alpha[studio].max() == 0
            assert alpha[55, 130 + 3 * number] == 255
    # Taken away and asked for, it comes back.
    page.get_by_label("Remove Garbage").click()
    wait_for(lambda: not masks_of(page))
    page.get_by_role("button", name="Propose").click()
    wait_for(lambda: len(masks_of(page)) == 1)
    assert masks_of(page)[0].course == mask.course


def test_two_joined_feathered_masks_are_delivered_as_they_look(bench: Page, house: House, tmp_path: Path) -> None:
    """Read back by PyAV's own decoder: alpha of the ProRes 4444 file is what the two masks leave."""
    page = bench
    page.get_by_label("Kind of ground").select_option("none")
    settled(page)
    draw(page, "Rectangle", (60, 40), (200, 140))
    draw(page, "Ellipse", (160, 50), (280, 130))
    page.get_by_label("How it joins").select_option("take_away")
    value(page, "Feather").focus()
    page.keyboard.type("10")
    page.keyboard.press("Enter")
    wait_for(lambda: value(page, "Feather").inner_text() == "10.0 px")
    settled(page)
    page.keyboard.press("d")
    page.keyboard.press("9")
    choose(page, "edit", "prores4444")
    file = stock.file_of(deliver(page, "cutout"))
    with av.open(str(file)) as movie:
        frames = [f.to_ndarray(format="rgba64le")[..., 3] / 65535 for f in movie.decode(video=0)]
    assert len(frames) == 21
    recipe = shots.open_shot(int(page.url.rsplit("/", 1)[1])).recipe
    shown = pixels(page)[..., 3] / 255
    for alpha in (frames[0], frames[-1]):
        assert np.abs(alpha - shown).max() < 0.02
    assert frames[0][90, 100] > 0.99 and frames[0][90, 190] < 0.01 and frames[0][20, 100] == 0
    assert recipe.masks.order and not zipfile.is_zipfile(file)


def test_the_edge_is_made_soft_by_pulling_at_its_points(bench: Page) -> None:
    page = bench
    draw(page, "Rectangle", (60, 40), (200, 140))
    number = revision(page)
    page.mouse.click(*at(page, 200, 140))
    grip = page.locator("#overlay rect[transform]")
    expect(grip).to_have_count(2)
    # The one outside lies further down and to the right.
    boxes = [grip.nth(k).bounding_box() for k in range(2)]
    outer = max((box for box in boxes if box), key=lambda box: box["x"])
    page.mouse.move(outer["x"] + outer["width"] / 2, outer["y"] + outer["height"] / 2)
    page.mouse.down()
    page.mouse.move(outer["x"] + outer["width"] / 2 + 40, outer["y"] + outer["height"] / 2 + 40, steps=5)
    page.mouse.up()
    saved(page, number + 1)
    (mask,) = masks_of(page)
    stage = page.locator("#stage").bounding_box()
    assert stage
    pulled = 40 * 2**0.5 * 320 / stage["width"]
    assert mask.course.points[0, 2, 7] == pytest.approx(pulled, rel=0.1)
    assert (mask.course.points[0, :, 6] == 0).all() and (mask.course.points[0, [0, 1, 3], 7] == 0).all()
    page.keyboard.press("Control+z")
    wait_for(lambda: masks_of(page)[0].course.points[0, 2, 7] == 0)


def test_mattes_that_were_brought_in_become_masks_that_can_be_reshaped(page: Page, clip: Path, tmp_path: Path) -> None:
    for frame in range(4):
        grey = np.zeros((180, 320), np.uint8)
        grey[40:120, 60 + 20 * frame : 160 + 20 * frame] = 255
        Image.fromarray(grey).save(tmp_path / f"walk_{frame:04d}.png")
    bring_in(page, *sorted(tmp_path.glob("walk_*.png")))
    expect(page.get_by_role("link", name="Open walk on the Bench")).to_be_visible(timeout=60_000)
    open_own_shot(page, clip)
    page.keyboard.press("4")
    page.get_by_label("Mattes to read as masks").select_option("walk")
    wait_for(lambda: len(masks_of(page)) == 1)
    expect(page.locator("#mask-list")).to_contain_text("Matte 1")
    for frame, left in ((0, 60), (2, 100), (3, 120), (5, 120)):
        go_to(page, frame)
        wait_for(lambda left=left: alpha_at(page, left - 3, 80) == 0 and alpha_at(page, left + 103, 80) == 0)
    page.keyboard.press("Control+z")
    wait_for(lambda: not masks_of(page))
