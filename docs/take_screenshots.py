"""Takes the pictures in docs/screenshots from a running Upholster with its demo data.

Run `UPHOLSTER_WATCH=/a/folder bin/start`, then ``.venv/bin/python docs/take_screenshots.py [ADDRESS] [NAME ...]``.
"""

import base64
import shutil
import sys
from collections.abc import Callable
from pathlib import Path

from playwright.sync_api import Page, expect, sync_playwright

FOLDER = Path(__file__).parent / "screenshots"
PLATES = Path(__file__).parents[1] / "src" / "upholster" / "demo" / "plates"


def reckoned(page: Page) -> None:
    """What a delivery costs is known."""
    page.wait_for_function("() => document.getElementById('quote').textContent.startsWith('About')", timeout=60_000)


def drawn(page: Page) -> None:
    """Wait until pictures have stopped arriving: those that are made ahead, too."""
    page.wait_for_load_state("networkidle", timeout=120_000)
    page.wait_for_timeout(900)


def open_bench(page: Page, name: str) -> None:
    page.goto("/footage")
    page.get_by_role("link", name=f"Open {name} on the Bench").click()
    drawn(page)


def footage(page: Page) -> None:
    page.goto("/footage")
    drawn(page)


def bench(page: Page) -> None:
    open_bench(page, "marionette")
    page.get_by_label("Frame number").fill("20")
    page.get_by_label("Frame number").press("Enter")
    page.locator("#views [data-view=result]").click()
    page.locator("#ground-footage").select_option(label="attic-stage")
    drawn(page)


def bench_matte(page: Page) -> None:
    bench(page)
    page.locator("#views [data-view=matte]").click()
    page.get_by_title("Matte (3)").click()
    drawn(page)
    page.mouse.move(760, 200)
    page.wait_for_timeout(400)


def bench_marks(page: Page) -> None:
    """A scribble over the lantern's frame, and what the key asks about its glass."""
    open_bench(page, "lantern")
    _on_a_twin(page)
    page.get_by_title("Screen (2)").click()
    page.keyboard.press("Shift+M")
    stage = page.locator("#stage").bounding_box()
    assert stage
    page.keyboard.down("Shift")
    page.mouse.move(stage["x"] + 0.44 * stage["width"], stage["y"] + 0.23 * stage["height"])
    page.mouse.down()
    page.mouse.move(stage["x"] + 0.56 * stage["width"], stage["y"] + 0.25 * stage["height"], steps=9)
    page.mouse.up()
    page.keyboard.up("Shift")
    page.mouse.move(760, 660)
    page.locator("#samples li").wait_for()
    page.wait_for_timeout(2000)
    page.get_by_role("group", name="This could be glass").wait_for()
    drawn(page)


def bench_trace(page: Page) -> None:
    open_bench(page, "kite")
    page.get_by_title("Trace (5)").click()
    page.get_by_label("Frame number").fill("30")
    page.get_by_label("Frame number").press("Enter")
    page.keyboard.press("g")
    drawn(page)


def bench_trouble(page: Page) -> None:
    bench(page)
    _on_a_twin(page)
    page.keyboard.press("e")
    state = page.locator("#trouble-state")
    expect(state).not_to_contain_text("to measure", timeout=300_000)
    first = page.locator("#troubles > li").filter(has_text="Haze").first
    first.get_by_role("button").first.click()
    first.get_by_role("button", name="Mend").click()
    expect(first.get_by_role("button", name="Do this")).to_be_visible(timeout=60_000)


def bench_edge(page: Page) -> None:
    bench(page)
    page.locator("#grounds [data-colour='#ffffff']").click()
    page.get_by_title("Edge (6)").click()
    page.mouse.move(812, 310)
    for _ in range(5):
        page.mouse.wheel(0, -240)
        page.wait_for_timeout(60)
    drawn(page)
    reckoned(page)


def bench_finish(page: Page) -> None:
    bench(page)
    _on_a_twin(page)
    if page.locator("#tones").is_hidden():
        page.get_by_title("Finish (8)").click()
    drawn(page)
    page.locator("[data-finish=scene]").click()
    drawn(page)
    page.locator("#tones").dblclick(position={"x": 110, "y": 74})
    # A curve is kept once it rests.
    page.wait_for_timeout(2000)
    drawn(page)


def fitting(page: Page) -> None:
    page.goto("/fittings")
    page.get_by_role("link", name="Open Evening in the harbour").click()
    page.wait_for_function("() => document.querySelector('#result').width > 400")
    page.get_by_label("Frame number").fill("40")
    page.get_by_label("Frame number").press("Enter")
    page.locator("#layer-list").get_by_role("button", name="Paper moon", exact=True).click()
    page.wait_for_timeout(9000)


def harbour(page: Page) -> None:
    """The picture of the demo's fitting alone, as it is delivered."""
    fitting(page)
    page.wait_for_function("() => document.querySelector('#result').width === 1280")
    told = page.evaluate("document.querySelector('#result').toDataURL('image/png')")
    (FOLDER / "harbour.png").write_bytes(base64.b64decode(told.split(",")[1]))


def fittings(page: Page) -> None:
    page.goto("/fittings")
    # Pictures of fittings are made when they are first looked at.
    page.wait_for_function("() => [...document.images].every(image => image.naturalWidth)", timeout=60_000)


def bench_deliver(page: Page) -> None:
    bench(page)
    page.get_by_title("Deliver (9)").click()
    page.get_by_label("What it is for").select_option("recover")
    reckoned(page)
    page.locator(".order").evaluate("e => e.scrollTo(0, e.scrollHeight)")
    page.wait_for_timeout(300)


def _typed(page: Page, label: str, number: str) -> None:
    page.get_by_role("spinbutton", name=label, exact=True).focus()
    page.keyboard.type(number)
    page.keyboard.press("Enter")


def _on_a_twin(page: Page) -> None:
    """Another shot of the same footage, so that the demo's own stays as it is."""
    first = page.url
    page.get_by_label("Another shot from this footage").click()
    page.wait_for_url(lambda url: url != first)
    drawn(page)


def bench_take(page: Page) -> None:
    bench(page)
    _on_a_twin(page)
    page.get_by_title("Take (1)").click()
    _typed(page, "Speed", "50")
    _typed(page, "End held", "24")
    _typed(page, "Cut at the left", "180")
    _typed(page, "Cut at the right", "220")
    page.get_by_label("Crop", exact=True).click()
    page.wait_for_timeout(8000)
    page.mouse.move(800, 300)
    drawn(page)


def bench_keyframes(page: Page) -> None:
    bench(page)
    _on_a_twin(page)
    page.get_by_title("Matte (3)").click()
    for frame, number in (("6", "8"), ("30", "24"), ("52", "24"), ("74", "6")):
        page.get_by_label("Frame number").fill(frame)
        page.get_by_label("Frame number").press("Enter")
        page.get_by_role("spinbutton", name="Holes closed up to", exact=True).focus()
        if frame == "6":
            page.keyboard.press("k")
        _typed(page, "Holes closed up to", number)
        page.wait_for_timeout(300)
    page.locator(".course").scroll_into_view_if_needed()
    drawn(page)


def bench_masks(page: Page) -> None:
    bench(page)
    _on_a_twin(page)
    page.get_by_title("Masks (4)").click()
    page.get_by_role("button", name="Propose").click()
    page.wait_for_timeout(3000)
    page.get_by_role("button", name="Ellipse", exact=True).click()
    stage = page.locator("#stage").bounding_box()
    assert stage
    for x, y in ((0.475, 0.18), (0.6, 0.42)):
        page.mouse.move(stage["x"] + x * stage["width"], stage["y"] + y * stage["height"], steps=5)
        page.mouse.down()
    page.mouse.up()
    page.wait_for_timeout(1000)
    page.get_by_label("What the mask does").select_option("keep_inside")
    page.get_by_label("Name of the mask").fill("Face")
    page.keyboard.press("Enter")
    page.locator("#follow-on").click()
    page.wait_for_timeout(20_000)
    page.get_by_role("button", name="thin them").click()
    page.get_by_label("Frame number").fill("40")
    page.get_by_label("Frame number").press("Enter")
    page.wait_for_timeout(7000)
    drawn(page)


def bench_dark(page: Page) -> None:
    open_bench(page, "sparks")
    page.get_by_label("Frame number").fill("30")
    page.get_by_label("Frame number").press("Enter")
    page.locator("#ground-footage").select_option(label="night-harbour")
    reckoned(page)
    drawn(page)


def stockroom(page: Page) -> None:
    page.goto("/stockroom")
    page.locator("#ground-footage").select_option(label="attic-stage")
    drawn(page)


def watched(page: Page) -> None:
    """Plates land in a folder of the one that is allowed, on this machine; one of them is none."""
    page.goto("/watched")
    allowed = page.locator("#folder option[value='.']")
    assert allowed.count(), "start the house with UPHOLSTER_WATCH"
    home = Path(allowed.inner_text()) / "dailies"
    home.mkdir(exist_ok=True)
    page.reload()
    if page.locator("#folder option[value='dailies']").count():
        page.locator("#folder").select_option("dailies")
        page.get_by_role("button", name="Watch it").click()
        for name in ("lantern.mp4", "paper-moon.mp4"):
            shutil.copyfile(PLATES / name, home / name)
        (home / "call-sheet.mov").write_text("No film, but a call sheet.\n" * 40)
    page.wait_for_function("() => document.querySelectorAll('[data-state=done]').length > 1", timeout=240_000)
    drawn(page)


def renders(page: Page) -> None:
    page.goto("/renders")
    drawn(page)


VIEWS: dict[str, Callable[[Page], None]] = {
    "footage": footage,
    "bench": bench,
    "bench-matte": bench_matte,
    "bench-marks": bench_marks,
    "bench-trouble": bench_trouble,
    "bench-edge": bench_edge,
    "bench-finish": bench_finish,
    "fitting": fitting,
    "harbour": harbour,
    "fittings": fittings,
    "bench-dark": bench_dark,
    "bench-masks": bench_masks,
    "bench-trace": bench_trace,
    "bench-take": bench_take,
    "bench-keyframes": bench_keyframes,
    "bench-deliver": bench_deliver,
    "renders": renders,
    "watched": watched,
    "stockroom": stockroom,
}


def main() -> None:
    asked = sys.argv[1:]
    address = asked.pop(0) if asked and asked[0].startswith("http") else "http://127.0.0.1:8750"
    FOLDER.mkdir(exist_ok=True)
    with sync_playwright() as play:
        browser = play.chromium.launch(executable_path="/usr/bin/chromium", args=["--no-sandbox"])
        page = browser.new_page(base_url=address, viewport={"width": 1280, "height": 800})
        page.on("console", lambda m: print(m.type, m.text) if m.type in ("error", "warning") else None)
        page.on("pageerror", lambda e: print("page error:", e))
        for name in asked or VIEWS:
            VIEWS[name](page)
            # Said for some seconds after a picture that came late.
            expect(page.locator("#busy:visible")).to_have_count(0, timeout=10000)
            if VIEWS[name] is not harbour:
                page.screenshot(path=FOLDER / f"{name}.png")
        browser.close()


if __name__ == "__main__":
    main()
