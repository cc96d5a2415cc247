"""The main line without a pointer: from footage to a clip in the Stockroom."""

import re
from pathlib import Path

import pytest
from bench_page import bring_in, kept
from playwright.sync_api import Page, expect

from conftest import wait_for
from plates import green_clip
from upholster.studio.stock import search

pytestmark = pytest.mark.e2e

#: Most steps from one control to another.
_MOST = 120


def tab_to(page: Page, name: str, role: str = "") -> None:
    """Press Tab until the focus is on a control of a name; wherever it is on the way, it is seen."""
    for _ in range(_MOST):
        page.keyboard.press("Tab")
        told = page.evaluate(
            "() => { const e = document.activeElement; const style = getComputedStyle(e);"
            "return [e.tagName.toLowerCase(), e.getAttribute('aria-label') || e.title || e.textContent.trim(),"
            " style.outlineStyle !== 'none' || style.boxShadow !== 'none' || e.matches('[data-path]') ] }"
        )
        if re.fullmatch(name, told[1]) and role in ("", told[0]):
            assert told[2], f"the focus on {name} is not seen"
            return
    raise AssertionError(f"{name} is not reached by Tab")


def test_from_footage_to_a_clip_without_a_pointer(page: Page, tmp_path: Path) -> None:
    bring_in(page, green_clip(tmp_path / "owl_fingers.mp4", 5, 0.071))
    expect(page.get_by_role("link", name="Open owl_fingers on the Bench")).to_be_visible(timeout=60_000)
    page.reload()
    tab_to(page, "Open owl_fingers on the Bench")
    page.keyboard.press("Enter")
    page.wait_for_url("**/bench/*")
    page.wait_for_function("() => document.querySelector('#result').width > 100")
    # A value is typed, undone, and typed again; views are keys.
    tab_to(page, "Edge choke")
    page.keyboard.type("1.5")
    page.keyboard.press("Enter")
    kept(page)
    expect(page.locator("#revision")).to_have_text("2")
    page.keyboard.press("Control+z")
    expect(page.locator("#revision")).to_have_text("1")
    page.keyboard.press("Control+Shift+z")
    expect(page.locator("#revision")).to_have_text("2")
    page.keyboard.press("a")
    expect(page.get_by_role("button", name="Matte", exact=True)).to_have_attribute("aria-pressed", "true")
    page.keyboard.press("?")
    expect(page.locator("#keys")).to_be_visible()
    page.keyboard.press("Escape")
    expect(page.locator("#keys")).to_be_hidden()
    tab_to(page, "Render", "button")
    page.keyboard.press("Enter")
    wait_for(lambda: any(c.name.startswith("owl_fingers") for c in search.clips()))
    page.keyboard.press("Escape")
    page.reload()
    tab_to(page, "Stockroom", "a")
    page.keyboard.press("Enter")
    page.wait_for_url("**/stockroom")
    clip = next(c for c in search.clips() if c.name.startswith("owl_fingers"))
    tab_to(page, f"Hold {clip.name} still")
    page.keyboard.press("Enter")
    expect(page.get_by_label(f"Hold {clip.name} still")).to_have_attribute("aria-pressed", "true")
