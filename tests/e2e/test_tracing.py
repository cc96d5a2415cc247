"""Tracing in the real browser: brushed, run, corrected, reloaded, its worker killed, delivered and read back."""

import io
import zipfile
from pathlib import Path

import numpy as np
import pytest
from bench_page import at, choose, deliver, go_to, open_own_shot, pixels, revision, settled
from PIL import Image
from playwright.sync_api import Page, expect

from conftest import House, wait_for
from plates import street, street_strokes, write_video
from upholster.core.documents.traces import Trace
from upholster.studio.shots import shots
from upholster.studio.stock import search, stock
from upholster.studio.traces import runs

pytestmark = pytest.mark.e2e

PLATES, TRUTH = street(24, seed=4)


@pytest.fixture(scope="module")
def clip(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return write_video(tmp_path_factory.mktemp("traces") / "street.mp4", PLATES)


@pytest.fixture
def bench(page: Page, clip: Path) -> Page:
    """The Bench with a shot of its own, nothing taken out, the line of traces unfolded, on frame 0."""
    open_own_shot(page, clip)
    page.get_by_label("Kind of ground").select_option("none")
    settled(page)
    page.keyboard.press("5")
    return page


def paint(page: Page, points: list[list[float]], *, alt: bool = False) -> None:
    number = revision(page) + 1
    if alt:
        page.keyboard.down("Alt")
    page.mouse.move(*at(page, *points[0]))
    page.mouse.down()
    for point in points[1:]:
        page.mouse.move(*at(page, *point), steps=3)
    page.mouse.up()
    if alt:
        page.keyboard.up("Alt")
    expect(page.locator("#revision")).to_have_text(str(number))


def brush(page: Page, frame: int = 0) -> None:
    keep, drop = street_strokes(frame)
    page.keyboard.press("b")
    paint(page, keep["points"])
    paint(page, drop["points"], alt=True)
    page.keyboard.press("b")


def run(page: Page) -> None:
    page.get_by_role("button", name="Run", exact=True).click()


def trace_of(page: Page) -> Trace:
    held = shots.open_shot(int(page.url.rsplit("/", 1)[1])).recipe.traces
    return held.each[held.order[0]]


def overlap(alpha: np.ndarray, truth: np.ndarray) -> float:
    one, two = alpha >= 128, truth >= 0.5
    return np.count_nonzero(one & two) / np.count_nonzero(one | two)


def test_brushed_run_corrected_and_delivered(bench: Page, house: House) -> None:
    page = bench
    # The frame is looked around as soon as the brush is over it.
    with page.expect_response(lambda answer: answer.url.endswith("/traces/ahead") and answer.ok):
        brush(page)
    # At once, from the strokes alone.
    wait_for(lambda: overlap(pixels(page)[..., 3], TRUTH[0]) > 0.93)
    expect(page.locator("#trace-said")).to_have_text("24 of 24 frames are to be traced.")
    assert [s.kind for s in trace_of(page).strokes.each] == ["keep", "drop"]
    # A render says what is missing before it starts, has it traced, and waits for it.
    page.keyboard.press("9")
    choose(page, "pictures", "png8")
    expect(page.locator("#quote")).to_contain_text("First to be traced: “Trace 1” on 24 frames", timeout=20_000)
    page.locator("#name").fill("unasked")
    page.get_by_role("button", name="Render", exact=True).click()
    expect(page.locator("#trace-said")).to_have_text("All 24 frames are traced.", timeout=60_000)
    wait_for(lambda: any(c.name == "unasked" for c in search.clips()))
    go_to(page, 20)
    wait_for(lambda: overlap(pixels(page)[..., 3], TRUTH[20]) > 0.93)
    # A correction in the middle: what comes after it is to be done again; what lies before only where it is asked.
    go_to(page, 12)
    brush(page, 12)
    expect(page.locator("#trace-said")).to_have_text("12 of 24 frames are to be traced.")
    page.get_by_label("What a correction changes").select_option("what comes before it, too")
    expect(page.locator("#trace-said")).to_have_text("23 of 24 frames are to be traced.")
    page.get_by_label("Which way it is carried").select_option("backwards only")
    expect(page.locator("#trace-said")).to_have_text("The one frame is traced.")
    page.get_by_label("Which way it is carried").select_option("both ways")
    expect(page.locator("#trace-brushed")).to_contain_text("frame 12")
    page.get_by_label("Leave out the strokes of frame 12").click()
    expect(page.locator("#trace-said")).to_have_text("All 24 frames are traced.")
    page.get_by_label("Use again the strokes of frame 12").click()
    run(page)
    expect(page.locator("#trace-said")).to_have_text("All 24 frames are traced.", timeout=60_000)
    with zipfile.ZipFile(stock.file_of(deliver(page, "walker"))) as archive:
        names = sorted(n for n in archive.namelist() if n.endswith(".png"))
        alphas = [np.asarray(Image.open(io.BytesIO(archive.read(name))))[..., 3] for name in names]
    assert len(alphas) == 24
    assert min(overlap(alpha, truth) for alpha, truth in zip(alphas, TRUTH, strict=True)) > 0.93


def test_nothing_is_lost_by_a_reload_a_stop_or_a_killed_worker(bench: Page, house: House) -> None:
    page = bench
    # From another frame: mattes of the same strokes on the same footage would be there already.
    go_to(page, 3)
    brush(page, 3)
    run(page)
    expect(page.get_by_role("button", name="Stop", exact=True)).to_be_visible()
    house.kill("upholster.work.worker")
    assert runs.unfinished()
    page.reload()
    expect(page.locator("#trace-said")).to_contain_text("of 24 frames", timeout=20_000)
    assert len(trace_of(page).strokes.each) == 2
    expect(page.locator("#trace-said")).to_have_text("All 24 frames are traced.", timeout=90_000)
    # Undone stroke by stroke, and done again: the mattes are still those.
    page.keyboard.press("Control+z")
    expect(page.locator("#trace-said")).to_contain_text("are to be traced")
    page.keyboard.press("Control+Shift+z")
    expect(page.locator("#trace-said")).to_have_text("All 24 frames are traced.")
    page.keyboard.press("5")


def test_the_brush_is_sized_erases_and_shows_outlines(bench: Page) -> None:
    page = bench
    page.keyboard.press("b")
    before = page.locator("#brush-size").inner_text()
    page.keyboard.press("]")
    assert page.locator("#brush-size").inner_text() != before
    paint(page, [[80, 90], [100, 90]])
    # One that is taken back in the middle leaves nothing.
    number = revision(page)
    page.mouse.move(*at(page, 200, 40))
    page.mouse.down()
    page.mouse.move(*at(page, 240, 60), steps=3)
    page.keyboard.press("Escape")
    page.mouse.up()
    assert revision(page) == number and len(trace_of(page).strokes.each) == 1
    page.keyboard.press("l")
    wait_for(lambda: 0 < (pixels(page)[..., 3] > 0).sum() < 4000)
    page.keyboard.press("g")
    expect(page.locator("#plate")).to_have_class("dimmed")
    page.get_by_role("button", name="Erase").click()
    page.mouse.click(*at(page, 90, 90))
    wait_for(lambda: not trace_of(page).strokes.each)
    page.get_by_label("Remove Trace 1").click()
    expect(page.locator("#traces-sentence")).to_have_text("Nothing is traced by hand.")
