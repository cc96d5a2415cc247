"""What tests do on the Bench, as a person would."""

from pathlib import Path

import numpy as np
from playwright.sync_api import Locator, Page, expect

from canvases import shown
from conftest import wait_for
from upholster.store.models import Clip
from upholster.studio.stock import search


def bring_in(page: Page, *files: Path) -> None:
    page.goto("/footage")
    page.set_input_files("#files", [str(f) for f in files])


def open_bench(page: Page, name: str) -> None:
    page.goto("/footage")
    page.get_by_role("link", name=f"Open {name} on the Bench").click()
    drawn = "() => ['#result', '#plate'].some(c => document.querySelector(c)?.width > 300)"
    wait_for(lambda: page.evaluate(drawn))


def open_own_shot(page: Page, clip: Path) -> None:
    """The Bench with a shot of its own of a clip, so that tests leave each other alone."""
    bring_in(page, clip)
    expect(page.get_by_role("link", name=f"Open {clip.stem} on the Bench")).to_be_visible(timeout=60_000)
    open_bench(page, clip.stem)
    first = page.url
    page.get_by_label("Another shot from this footage").click()
    page.wait_for_url(lambda url: url != first)
    settled(page)


def value(page: Page, label: str) -> Locator:
    return page.get_by_role("spinbutton", name=label, exact=True)


def set_value(page: Page, label: str, typed: str) -> None:
    value(page, label).focus()
    page.keyboard.type(typed)
    page.keyboard.press("Enter")


def go_to(page: Page, frame: int) -> None:
    page.get_by_label("Frame number").fill(str(frame))
    page.get_by_label("Frame number").press("Enter")


def choose(page: Page, need: str, form: str) -> None:
    page.get_by_label("What it is for").select_option(need)
    page.get_by_label("Format", exact=True).select_option(form)


def deliver(page: Page, name: str) -> Clip:
    """Press Render under a name, and wait for the clip."""
    page.get_by_label("Name", exact=True).fill(name)
    page.get_by_role("button", name="Render", exact=True).click()
    wait_for(lambda: any(c.name == name for c in search.clips()))
    return next(c for c in search.clips() if c.name == name)


def kept(page: Page) -> None:
    """Wait until the house has all that was changed."""
    page.wait_for_function("() => !document.querySelector('#revision[data-keeping]')")


def revision(page: Page) -> int:
    kept(page)
    return int(page.locator("#revision").inner_text())


def settled(page: Page) -> None:
    # Steps become a change once the hand rests, and pictures follow it.
    page.wait_for_timeout(700)
    kept(page)
    page.wait_for_timeout(300)


def at(page: Page, x: float, y: float) -> tuple[float, float]:
    """Where a place on a plate of 320x180 is on the screen."""
    stage = page.locator("#stage").bounding_box()
    assert stage
    return stage["x"] + x * stage["width"] / 320, stage["y"] + y * stage["height"] / 180


def pixels(page: Page, canvas: str = "#result") -> np.ndarray:
    """The canvas as (h, w, 4) bytes."""
    return shown(page, canvas)
