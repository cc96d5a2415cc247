"""A fitting in the real browser: built by mouse and keyboard, keyframed, delivered, opened again; two windows."""

import re
from pathlib import Path

import numpy as np
import opentimelineio as otio
import pytest
from bench_page import bring_in, deliver, kept, set_value, settled, value
from PIL import Image
from playwright.sync_api import Page, expect

from brought import green_shot
from canvases import shown
from conftest import House, wait_for
from plates import flat
from sounds import write_clicks
from upholster.core.documents.fitting import Fitting
from upholster.core.documents.tracks import value_at
from upholster.media.decoder.reader import Reader
from upholster.media.delivery import Delivery
from upholster.store.models import Clip
from upholster.studio.fittings import fittings
from upholster.studio.renders import renders
from upholster.studio.shots import shots
from upholster.studio.stock import search, stock

pytestmark = pytest.mark.e2e


@pytest.fixture(scope="module")
def clip(house: House, tmp_path_factory: pytest.TempPathFactory) -> Clip:
    """A keyed clip of a disc, made without a browser."""
    folder = tmp_path_factory.mktemp("fit")
    shot_id = green_shot(folder, "moon", 12, 0.027)
    (made,) = renders.order(shot_id, shots.open_shot(shot_id).revision, [Delivery(format="ffv1")], "paper moon")
    wait_for(lambda: any(c.render_id == made.id for c in search.clips()))
    return next(c for c in search.clips() if c.render_id == made.id)


@pytest.fixture
def begun(page: Page, clip: Clip) -> Page:
    """The page of an empty fitting of 320 by 180."""
    page.goto("/fittings")
    page.get_by_role("button", name="New fitting").click()
    page.wait_for_url("**/fittings/*")
    for label, number in (("Width", "320"), ("Height", "180"), ("Length in frames", "12")):
        value(page, label).focus()
        page.keyboard.type(number)
        page.keyboard.press("Enter")
    settled(page)
    return page


def document(page: Page) -> Fitting:
    kept(page)
    return fittings.open_fitting(int(page.url.rstrip("/").split("/")[-1])).document


def pixels(page: Page) -> np.ndarray:
    settled(page)
    return shown(page, "#result")


def at(page: Page, x: float, y: float) -> tuple[float, float]:
    """Where on the screen a place of the fitting lies."""
    box = page.locator("#result").bounding_box()
    assert box
    return box["x"] + x / 320 * box["width"], box["y"] + y / 180 * box["height"]


def pull(page: Page, start: tuple[float, float], end: tuple[float, float], *, alt: bool = True) -> None:
    page.mouse.move(*start)
    page.mouse.down()
    if alt:
        page.keyboard.down("Alt")
    page.mouse.move(*end, steps=6)
    page.mouse.up()
    if alt:
        page.keyboard.up("Alt")
    settled(page)


def lay_in(page: Page, name: str) -> None:
    page.get_by_label("Lay in").select_option(label=name)
    expect(page.locator("#layer-list")).to_contain_text(name)
    settled(page)


def test_a_scene_is_built_by_mouse_and_keyboard_delivered_and_read_back(begun: Page, clip: Clip) -> None:
    page = begun
    lay_in(page, "paper moon")
    assert pixels(page)[90, 130].max() > 150 and pixels(page)[5, 5].tolist() == [0, 0, 0, 255]
    # Moved by the hand, sized by a corner, turned by the handle above.
    pull(page, at(page, 130, 90), at(page, 170, 70))
    layer = document(page).layers.each["n1"]
    assert layer.x == pytest.approx(40, abs=2) and layer.y == pytest.approx(-20, abs=2)
    corner = page.locator("[data-corner='3']").bounding_box()
    assert corner
    place = corner["x"] + 5, corner["y"] + 5
    middle = at(page, 200, 70)
    pull(page, place, ((place[0] + middle[0]) / 2, (place[1] + middle[1]) / 2))
    assert document(page).layers.each["n1"].scale == pytest.approx(0.5, abs=0.05)
    turner = page.locator("[data-grasp='turn']").bounding_box()
    assert turner
    start = turner["x"] + 6, turner["y"] + 6
    pull(page, start, (middle[0] + (middle[1] - start[1]), middle[1]))
    assert document(page).layers.each["n1"].turn == pytest.approx(90, abs=3)
    # Nudged by keys, once more by D, joined in another way.
    page.locator("#booth").focus()
    page.keyboard.press("ArrowRight")
    page.keyboard.press("Shift+ArrowDown")
    settled(page)
    nudged = document(page).layers.each["n1"]
    assert nudged.x == pytest.approx(layer.x + 1, abs=0.01) and nudged.y == pytest.approx(layer.y + 10, abs=0.01)
    page.keyboard.press("d")
    expect(page.locator("#layer-list li")).to_have_count(2)
    page.get_by_label("How it joins what lies below").select_option("add")
    settled(page)
    assert document(page).layers.order == ("n1", "n2") and document(page).layers.each["n2"].blend == "add"
    # A drift by two keyframes.
    value(page, "Across").focus()
    page.keyboard.press("k")
    settled(page)
    page.keyboard.press("Escape")
    page.keyboard.press("End")
    page.locator("#layer-list [data-layer=n2] [data-part=choose]").click()
    value(page, "Across").focus()
    page.keyboard.type("-100")
    page.keyboard.press("Enter")
    settled(page)
    drift = document(page).layers.each["n2"].x
    assert isinstance(drift, tuple) and [key.frame for key in drift] == [0, 11]
    assert value_at(drift, 11) == -100
    # Two more of the first by keys, one of them small and faint; the page is loaded again in the middle of the work.
    page.locator("#layer-list [data-layer=n1] [data-part=choose]").click()
    page.locator("#booth").focus()
    page.keyboard.press("d")
    expect(page.locator("#layer-list li")).to_have_count(3)
    settled(page)
    page.reload()
    expect(page.locator("#layer-list li")).to_have_count(3)
    page.locator("#layer-list [data-layer=n1] [data-part=choose]").click()
    page.locator("#booth").focus()
    page.keyboard.press("d")
    expect(page.locator("#layer-list li")).to_have_count(4)
    for label, typed in (("Size", "10"), ("Opacity", "40")):
        set_value(page, label, typed)
    kept(page)
    assert len(document(page).layers.order) == 4
    made = deliver(page, "two moons")
    with Reader([stock.file_of(made)]) as reader:
        first, last = reader.frame(0), reader.frame(11)
    assert first.alpha is not None and last.alpha is not None
    assert first.alpha[:, :90].max() < 0.02 and last.alpha[:, :90].max() > 0.9
    page.goto("/stockroom")
    page.locator("[data-clip='two moons']").get_by_role("button", name="Open its recipe").click()
    page.wait_for_url("**/fittings/*")
    expect(page.locator("#layer-list li")).to_have_count(4)


def test_edges_meet_and_escape_takes_back(begun: Page, clip: Clip) -> None:
    page = begun
    lay_in(page, "paper moon")
    pull(page, at(page, 130, 90), at(page, 131, 91), alt=False)
    layer = document(page).layers.each["n1"]
    assert (layer.x, layer.y) == (0, 0), "the edges of a layer as large as the fitting stay on its edges"
    page.mouse.move(*at(page, 130, 90))
    page.mouse.down()
    page.mouse.move(*at(page, 200, 150), steps=4)
    page.keyboard.press("Escape")
    page.mouse.up()
    settled(page)
    assert document(page).layers.each["n1"].x == 0


def test_layers_are_ordered_hidden_taken_out_and_undone(begun: Page, clip: Clip) -> None:
    page = begun
    lay_in(page, "paper moon")
    page.get_by_label("Name of the layer").fill("Low")
    page.get_by_label("Name of the layer").press("Enter")
    lay_in(page, "paper moon")
    assert page.locator("#layer-list li [data-part=choose]").all_inner_texts() == ["paper moon", "Low"]
    page.get_by_label("Move Low in the order").focus()
    page.keyboard.press("ArrowUp")
    settled(page)
    assert document(page).layers.order == ("n2", "n1")
    page.get_by_label("Low hidden").click()
    page.get_by_label("paper moon hidden").click()
    assert pixels(page)[90, 130].tolist() == [0, 0, 0, 255]
    page.get_by_label("Take paper moon out").click()
    expect(page.locator("#layer-list li")).to_have_count(1)
    page.keyboard.press("Control+z")
    expect(page.locator("#layer-list li")).to_have_count(2)
    page.reload()
    expect(page.locator("#layer-list li")).to_have_count(2)
    strip = page.locator("#layer-list [data-layer=n1] .strip")
    box = strip.bounding_box()
    assert box
    pull(page, (box["x"] + 20, box["y"] + 4), (box["x"] + 20 + box["width"] / 3, box["y"] + 4), alt=False)
    assert document(page).layers.each["n1"].start == 4


def test_one_clip_becomes_a_crowd_over_a_still(begun: Page, clip: Clip, tmp_path: Path) -> None:
    page, address = begun, begun.url
    Image.fromarray((flat((0.1, 0.3, 0.5)) * 255).astype(np.uint8).transpose(1, 2, 0)).save(tmp_path / "pier.png")
    bring_in(page, tmp_path / "pier.png")
    expect(page.get_by_role("link", name="Open pier on the Bench")).to_be_visible(timeout=60_000)
    page.goto(address)
    page.get_by_label("Ground", exact=True).select_option(label="pier")
    lay_in(page, "paper moon")
    for label, typed in (("Size", "20"), ("Across", "-100"), ("Copies", "9"), ("Step across", "26"), ("Seed", "5")):
        value(page, label).focus()
        page.keyboard.type(typed)
        page.keyboard.press("Enter")
    seen = pixels(page)
    assert seen[3, 3, :3].astype(int) == pytest.approx([25, 76, 127], abs=2)
    row = np.abs(seen[70:110, :, 0].astype(int) - 25).max(axis=0) > 80
    assert 8 <= np.count_nonzero(np.diff(row.astype(int)) == 1) <= 10
    expect(page.locator("#layer-list")).to_contain_text("× 9")
    page.get_by_label("Play", exact=True).click()
    page.wait_for_function("() => Number(document.getElementById('frame').value) > 3", timeout=60_000)
    page.get_by_label("Play", exact=True).click()


def test_a_fitting_begins_from_a_clip_and_the_clip_says_so(page: Page, clip: Clip) -> None:
    page.goto("/stockroom")
    page.get_by_label("Lay paper moon into a fitting").click()
    page.get_by_role("button", name="Lay it in").click()
    page.wait_for_url("**/fittings/*")
    expect(page.locator("#layer-list li")).to_have_count(1)
    expect(value(page, "Width")).to_have_text("320")
    assert document(page).frame.length == 12
    page.get_by_label("Another fitting that begins as this one").click()
    page.wait_for_function("() => document.querySelector('#shot-name').textContent.endsWith('copy')")
    name = page.locator("#shot-name").inner_text()
    page.goto("/stockroom")
    expect(page.locator("[data-clip='paper moon']")).to_contain_text(name)
    # Once more, into that one.
    page.get_by_label("Lay paper moon into a fitting").click()
    page.get_by_label("Fitting to lay it into").select_option(label=name)
    page.get_by_role("button", name="Lay it in").click()
    page.locator("#says").get_by_role("link", name="See it").click()
    page.wait_for_url("**/fittings/*")
    expect(page.locator("#layer-list li")).to_have_count(2)
    assert document(page).layers.order == ("n1", "n2")
    page.goto("/fittings")
    page.once("dialog", lambda dialog: dialog.accept())
    page.get_by_label(f"Remove {name}", exact=True).click()
    expect(page.locator(f"[data-fitting='{name}']")).to_have_count(0)


def test_a_sound_is_laid_in_measured_and_plays_with_the_pictures(begun: Page, clip: Clip, tmp_path: Path) -> None:
    page, address = begun, begun.url
    bring_in(page, write_clicks(tmp_path / "night bell.wav", 0.12, seconds=0.5))
    expect(page.get_by_label("night bell", exact=True)).to_be_visible(timeout=60_000)
    expect(page.locator("[data-footage]").first).to_contain_text("It can be laid into fittings.")
    page.goto(address)
    lay_in(page, "paper moon")
    expect(page.locator("#sound")).to_be_hidden()
    page.locator('[data-open="9"]').click()
    expect(page.get_by_label("Take the sound along")).to_be_disabled()
    assert page.locator("#ground option", has_text="night bell").count() == 0
    lay_in(page, "night bell")
    expect(page.get_by_label("Take the sound along")).to_be_enabled()
    expect(page.locator("#loudness")).to_contain_text(re.compile(r"peak -(5\.9|6\.0) dB"))
    assert page.locator("#overlay .rim").count() == 0, "sound has no outline"
    set_value(page, "Loudness", "14")
    expect(page.locator("#loudness")).to_contain_text("goes beyond full scale from frame 2")
    page.get_by_label("Turned down where").check()
    expect(page.locator("#loudness")).to_contain_text("peak -1.0 dB")
    page.reload()
    expect(page.get_by_label("Turned down where")).to_be_checked()
    expect(page.locator("#loudness")).to_contain_text("peak -1.0 dB")
    page.wait_for_function("() => document.querySelector('#frames .ready').style.background.includes('100.000%')")
    page.get_by_label("Play", exact=True).click()
    page.wait_for_function("() => Number(document.getElementById('frame').value) > 5")
    heard = "() => Number(document.getElementById('meter').getAttribute('aria-valuenow')) > -20"
    page.wait_for_function(heard)
    page.get_by_label("Play", exact=True).click()
    page.get_by_label("Sound left out").check()
    expect(page.locator("#loudness")).to_contain_text("No layer is heard.")
    settled(page)
    assert document(page).layers.each["n2"].muted and document(page).sound.limited


def test_it_goes_to_a_timeline_and_back_and_one_layer_is_delivered_alone(
    begun: Page, clip: Clip, tmp_path: Path
) -> None:
    page = begun
    lay_in(page, "paper moon")
    set_value(page, "Size", "50")
    lay_in(page, "paper moon")
    set_value(page, "Across", "-90")
    kept(page)
    page.locator('[data-open="9"]').click()
    with page.expect_download() as coming:
        page.get_by_role("link", name="a timeline").click()
    coming.value.save_as(tmp_path / "cut.otio")
    timeline = otio.adapters.read_from_file(str(tmp_path / "cut.otio"))
    assert [c.media_reference.target_url for c in timeline.find_clips()] == ["paper%20moon.mkv"] * 2
    with page.expect_download() as coming:
        page.get_by_role("link", name="CSV").click()
    assert len(Path(coming.value.path()).read_text().splitlines()) == 1 + 2 * 12
    before = document(page)
    page.get_by_label("What is delivered").select_option(index=1)
    made = deliver(page, "moon alone")
    with Reader([stock.file_of(made)]) as reader:
        alpha = reader.frame(3).alpha
    assert alpha is not None and alpha[:, :60].max() > 0.9 and alpha[85:95, 175:200].max() == 0
    page.goto("/fittings")
    page.set_input_files("#timeline", str(tmp_path / "cut.otio"))
    page.wait_for_url("**/fittings/*")
    expect(page.locator("#layer-list li")).to_have_count(2)
    assert document(page) == before
    page.goto("/fittings")
    (tmp_path / "no.otio").write_text("{}")
    page.set_input_files("#timeline", str(tmp_path / "no.otio"))
    expect(page.locator("#says")).to_contain_text("holds no timeline")


def test_two_windows_lose_nothing_and_what_is_gone_is_said(begun: Page, clip: Clip) -> None:
    page = begun
    lay_in(page, "paper moon")
    other = page.context.new_page()
    other.goto(page.url)
    settled(other)
    for window, typed in ((page, "30"), (other, "60")):
        value(window, "Opacity").focus()
        window.keyboard.type(typed)
        window.keyboard.press("Enter")
        window.wait_for_timeout(600)
    expect(other.locator("#stale")).to_be_visible()
    expect(other.locator("#stale-theirs")).to_contain_text("Another window changed this fitting since")
    other.get_by_role("button", name="Keep mine as a branch").click()
    settled(other)
    assert document(page).layers.each["n1"].opacity == 0.6
    other.close()
    stock.delete(clip.id)
    page.reload()
    expect(page.locator("#why")).to_have_text("Not here any more: paper moon.")
    expect(page.locator("#quote")).to_contain_text("not in the stockroom any more")
    page.get_by_role("button", name="Render", exact=True).click()
    expect(page.locator("#says")).to_contain_text("“paper moon”: the clip is not in the stockroom any more")
    stock.bring_back(clip.id)
