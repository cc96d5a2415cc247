"""Looking back and closely: an earlier revision by a key and by halves, backwards, by timecode, pixel by pixel."""

from pathlib import Path

import numpy as np
import pytest
from bench_page import go_to, kept, open_own_shot, pixels, set_value, settled
from playwright.sync_api import Page, expect

from conftest import wait_for
from plates import green_clip

pytestmark = pytest.mark.e2e


@pytest.fixture(scope="module")
def clip(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return green_clip(tmp_path_factory.mktemp("comparing") / "owl_comparing.mp4", 30, 0.052)


@pytest.fixture
def bench(page: Page, clip: Path) -> Page:
    open_own_shot(page, clip)
    return page


def alpha(page: Page, canvas: str) -> np.ndarray:
    return pixels(page, canvas)[..., 3].astype(int)


def alike(one: np.ndarray, two: np.ndarray) -> bool:
    """Quick and fine pictures of one matte differ by little."""
    return one.shape == two.shape and bool(np.abs(one - two).mean() < 1)


def test_an_earlier_revision_is_seen_by_a_key_and_by_halves(bench: Page) -> None:
    page = bench
    before = alpha(page, "#result")
    page.keyboard.press("v")
    expect(page.locator("#says")).to_contain_text("Choose a revision to compare with first")
    set_value(page, "Edge choke", "12")
    kept(page)
    settled(page)
    now = alpha(page, "#result")
    assert now.sum() < 0.9 * before.sum()
    page.get_by_label("Earlier revisions").click()
    page.get_by_label("Compare with revision 1").click()
    expect(page.locator("#compared")).to_contain_text("Compared with revision 1")
    # By halves: at the left what was, at the right what is.
    expect(page.get_by_role("button", name="Split")).to_have_attribute("aria-pressed", "true")
    wait_for(lambda: alike(alpha(page, "#plate"), before))
    assert alike(alpha(page, "#result"), now)
    # By a key, in any view, for as long as it is held.
    page.keyboard.press("r")
    page.locator("#booth").focus()
    page.keyboard.down("v")
    wait_for(lambda: page.locator("#result").is_hidden() and alike(alpha(page, "#plate"), before))
    page.keyboard.up("v")
    wait_for(lambda: page.locator("#result").is_visible() and page.locator("#plate").is_hidden())
    page.locator("#compared").click()
    expect(page.locator("#compared")).to_be_hidden()
    assert alike(alpha(page, "#result"), now)


def test_a_clip_plays_backwards_and_a_timecode_is_gone_to(bench: Page) -> None:
    page = bench
    go_to(page, 12)
    page.locator("#booth").focus()
    page.evaluate(
        "() => { window.seen = []; new MutationObserver(() => seen.push(Number(document.getElementById('ribbon')"
        ".getAttribute('aria-valuenow')))).observe(document.getElementById('ribbon'), { attributes: true }); }"
    )
    page.keyboard.press("Shift+ ")
    wait_for(lambda: len(set(page.evaluate("() => seen"))) > 5)
    page.keyboard.press(" ")
    seen = list(dict.fromkeys(page.evaluate("() => seen")))
    steps = {(b - a) % 30 for a, b in zip(seen, seen[1:], strict=False)}
    assert steps == {29}, seen
    frame = page.get_by_label("Frame number")
    for typed, number in (("1:02", "26"), ("00:00:00:07", "7")):
        frame.fill(typed)
        frame.press("Enter")
        expect(frame).to_have_value(number)


def test_grounds_are_gone_through_by_a_key(bench: Page) -> None:
    page = bench
    page.locator("#booth").focus()
    pressed = page.locator("#grounds .dot[aria-pressed=true]")
    seen = []
    for _ in range(6):
        seen.append(pressed.get_attribute("title"))
        page.keyboard.press("j")
    assert seen == ["Checker", "Black", "Dark grey", "Grey", "White", "Checker"]
    page.keyboard.press("Shift+j")
    page.keyboard.press("Shift+j")
    expect(pressed).to_have_attribute("title", "White")


def test_close_up_a_grid_parts_the_pixels(bench: Page) -> None:
    page = bench
    grid = "() => getComputedStyle(document.getElementById('stage'), '::after').content !== 'none'"
    assert not page.evaluate(grid)
    page.locator("#booth").focus()
    for _ in range(12):
        page.keyboard.press("+")
    assert page.evaluate(grid)
    page.keyboard.press("f")
    assert not page.evaluate(grid)
