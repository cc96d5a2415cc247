"""Line 8 of the work order in the real browser: values, curve, what is measured, colour decisions, and the file."""

from pathlib import Path

import numpy as np
import pytest
from bench_page import bring_in, choose, deliver, go_to, kept, open_own_shot, pixels, set_value, settled
from PIL import Image
from playwright.sync_api import Page, expect

from plates import flat, green_clip
from upholster.core.documents.recipe import Recipe
from upholster.core.finish.cdl import from_cdl
from upholster.media.decoder.reader import Reader
from upholster.studio.shots.shots import open_shot
from upholster.studio.stock import stock

pytestmark = pytest.mark.e2e


@pytest.fixture(scope="module")
def clip(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return green_clip(tmp_path_factory.mktemp("finish") / "nightlight.mp4", 12, 0.013)


@pytest.fixture
def bench(page: Page, clip: Path) -> Page:
    open_own_shot(page, clip)
    page.keyboard.press("8")
    expect(page.locator("#tones")).to_be_visible()
    return page


def subject(page: Page) -> np.ndarray:
    """Mean colour of what is solid, 0..255."""
    seen = pixels(page).astype(float)
    return seen[seen[..., 3] > 250][:, :3].mean(axis=0)


def recipe(page: Page) -> Recipe:
    kept(page)
    return open_shot(int(page.url.rstrip("/").split("/")[-1])).recipe


def test_what_is_seen_is_what_is_delivered(bench: Page) -> None:
    page = bench
    before = subject(page)
    set_value(page, "Brightness", "-10")
    set_value(page, "Saturation", "0")
    settled(page)
    after = subject(page)
    assert np.ptp(after) < 2 and after.mean() < before.mean() - 15
    expect(page.locator('.line[data-stage="finish"]')).to_have_class("line set")
    page.get_by_label("Pause Finish").click()
    settled(page)
    assert subject(page) == pytest.approx(before, abs=1)
    page.get_by_label("Pause Finish").click()
    page.keyboard.press("9")
    choose(page, "edit", "prores4444")
    with Reader([stock.file_of(deliver(page, "grey moon"))]) as reader:
        frame = reader.frame(0)
    assert frame.alpha is not None
    assert np.ptp(frame.rgb[:, frame.alpha > 0.99].mean(axis=1)) < 0.01
    assert frame.rgb[:, frame.alpha > 0.99].mean() * 255 == pytest.approx(after.mean(), abs=2)


def test_a_curve_is_drawn_bent_undone_and_there_after_a_reload(bench: Page) -> None:
    page = bench
    before = subject(page)
    box = page.locator("#tones").bounding_box()
    assert box
    middle = box["x"] + box["width"] * 0.55, box["y"] + box["height"] * 0.45
    page.mouse.dblclick(*middle)
    settled(page)
    assert len(recipe(page).finish.curve) == 3
    page.mouse.move(*middle)
    page.mouse.down()
    page.mouse.move(middle[0], box["y"] + box["height"] * 0.15, steps=5)
    page.mouse.up()
    settled(page)
    assert subject(page).mean() > before.mean() + 25
    page.reload()
    settled(page)
    expect(page.locator("#tones circle")).to_have_count(3)
    page.locator("#tones circle").nth(1).click()
    page.keyboard.press("k")
    settled(page)
    assert isinstance(recipe(page).finish.curve[1].y, tuple)
    page.keyboard.press("Delete")
    settled(page)
    assert len(recipe(page).finish.curve) == 2
    for _ in range(4):
        page.keyboard.press("Control+z")
        settled(page)
    assert recipe(page).finish.curve == () and subject(page) == pytest.approx(before, abs=1)


def test_the_subject_is_matched_to_what_it_lies_over(bench: Page, tmp_path: Path) -> None:
    page, address = bench, bench.url
    night = (flat((0.08, 0.12, 0.35), 320, 180) * 255).astype(np.uint8).transpose(1, 2, 0)
    Image.fromarray(night + np.random.default_rng(1).integers(-9, 9, night.shape).astype(np.uint8)).save(
        tmp_path / "night.png"
    )
    page.locator("#grounds .checker").click()
    page.locator("[data-finish=scene]").click()
    expect(page.locator("#says")).to_contain_text("Choose a ground above the picture first")
    bring_in(page, tmp_path / "night.png")
    expect(page.get_by_role("link", name="Open night on the Bench")).to_be_visible(timeout=60_000)
    page.goto(address)
    settled(page)
    before = subject(page)
    page.locator("#ground-footage").select_option(label="night")
    page.locator("[data-finish=scene]").click()
    expect(page.locator("#scene-said")).to_have_text("Matched to “night”:")
    settled(page)
    after = subject(page)
    assert after.mean() < before.mean() - 20 and after[2] / after[0] > before[2] / before[0] + 0.1
    page.locator("[data-finish=grain]").click()
    settled(page)
    assert recipe(page).finish.grain == pytest.approx(9 / 255 / 3**0.5, rel=0.3)
    page.locator("[data-finish=neutral]").click()
    expect(page.locator("#cast-said")).to_contain_text("red 1.")


def test_a_grey_is_picked_on_the_picture_and_one_beside_the_subject_refused(bench: Page) -> None:
    page = bench
    go_to(page, 0)
    canvas = page.locator("#result").bounding_box()
    assert canvas
    page.keyboard.press("w")
    page.mouse.click(canvas["x"] + canvas["width"] * 0.9, canvas["y"] + canvas["height"] * 0.1)
    expect(page.locator("#says")).to_contain_text("nothing of the subject at that place")
    page.keyboard.press("w")
    page.mouse.click(canvas["x"] + canvas["width"] * 130 / 320, canvas["y"] + canvas["height"] / 2)
    settled(page)
    assert np.ptp(subject(page)) < 4
    assert recipe(page).finish.temperature < 5500


def test_a_colour_decision_goes_out_and_comes_back(bench: Page, tmp_path: Path) -> None:
    page = bench
    set_value(page, "Gain, red", "1.2")
    set_value(page, "Saturation", "80")
    settled(page)
    with page.expect_download() as waiting:
        page.locator("#save-cc").click()
    waiting.value.save_as(tmp_path / "look.cc")
    decision = from_cdl((tmp_path / "look.cc").read_text())
    assert decision.slope == (1.2, 1.0, 1.0) and decision.saturation == 0.8
    page.keyboard.press("Control+z")
    page.keyboard.press("Control+z")
    settled(page)
    page.set_input_files("#read-cdl", tmp_path / "look.cc")
    settled(page)
    assert recipe(page).finish.slope_red == 1.2 and recipe(page).finish.saturation == 0.8
    (tmp_path / "none.cc").write_text("not xml")
    page.set_input_files("#read-cdl", tmp_path / "none.cc")
    expect(page.locator("#says")).to_contain_text("This could not be measured: it is not XML.")
