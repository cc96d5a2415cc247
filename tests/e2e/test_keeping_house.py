"""Names, lists and deliveries kept in order by hand."""

import json
from collections.abc import Callable
from io import BytesIO
from pathlib import Path
from urllib.parse import urljoin

import numpy as np
import pytest
from bench_page import choose, kept, open_own_shot, pixels, revision, set_value, settled
from PIL import Image
from playwright.sync_api import Page, expect

from conftest import House, wait_for
from plates import shot, write_video
from upholster.studio.footage import bring_in


@pytest.fixture(scope="module")
def clip(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("keeping")
    return write_video(folder / "keeping.mp4", [shot(frame=n, uneven=0.047)[0] for n in range(24)])


@pytest.fixture
def bench(page: Page, house: House, clip: Path) -> Page:
    open_own_shot(page, clip)
    return page


def test_footage_and_shots_are_renamed_where_they_stand(bench: Page) -> None:
    page = bench
    page.get_by_label("Rename this shot").click()
    name = page.get_by_label("Name", exact=True).first
    name.fill("Lantern, close")
    name.press("Enter")
    expect(page.locator("#shot-name")).to_have_text("Lantern, close")
    page.reload()
    expect(page.locator("#shot-name")).to_have_text("Lantern, close")
    page.goto("/footage")
    page.get_by_label("Rename keeping").click()
    page.keyboard.press("Escape")
    expect(page.get_by_role("heading", name="keeping", exact=True)).to_be_visible()
    expect(page.get_by_label("Rename keeping")).to_be_focused()
    page.get_by_label("Rename keeping").press("Enter")
    page.keyboard.type("Kept apart")
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="Kept apart")).to_be_visible()
    page.get_by_label("Rename Kept apart").click()
    page.keyboard.type("keeping")
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="keeping", exact=True)).to_be_visible()


def test_numbered_pictures_run_as_fast_as_is_said(page: Page, house: House, tmp_path: Path) -> None:
    folder = tmp_path / "lamp"
    folder.mkdir()
    for n in range(3):
        rgb = (shot(frame=n, uneven=0.023)[0].transpose(1, 2, 0) * 255).astype("uint8")
        Image.fromarray(rgb).save(folder / f"lamp.{1001 + n}.png")
    footage, _ = bring_in.take_in(folder, "lamp")
    wait_for(lambda: bring_in.get_footage(footage.id).state == "ready")
    page.goto("/footage")
    rate = page.get_by_label("Frames a second of lamp")
    rate.fill("fast")
    rate.press("Enter")
    expect(page.locator("[data-refused]")).to_contain_text("A rate is a number like 24")
    rate.fill("23.976")
    rate.press("Enter")
    expect(page.locator(f"#footage-{footage.id}")).to_contain_text("23.976 fps")
    assert bring_in.get_footage(footage.id).facts["rate"] == "2997/125"
    page.goto(f"/bench/{_shot(footage.id)}")
    choose(page, "pictures", "png8")
    page.keyboard.press("9")
    expect(page.get_by_label("First number")).to_have_attribute("placeholder", "1001")


def _shot(footage_id: int) -> int:
    from upholster.store.models import Footage
    from upholster.store.session import session

    with session() as db:
        return int(db.get_one(Footage, footage_id).shots[0].id)


def test_footage_is_told_how_its_colour_is_stored(page: Page, house: House, tmp_path: Path) -> None:
    """A change is read through, stays after a reload, and is forgotten at a press."""
    folder = tmp_path / "scarf"
    folder.mkdir()
    write_video(folder / "scarf.mp4", [shot(frame=n)[0] for n in range(4)])
    footage, _ = bring_in.take_in(folder, "scarf.mp4")
    wait_for(lambda: bring_in.get_footage(footage.id).state == "ready")
    page.goto("/footage")
    matrix, chroma = page.get_by_label("Matrix of scarf"), page.get_by_label("Chroma of scarf")
    expect(matrix).to_have_value("bt709", timeout=30_000)
    expect(chroma).to_have_value("center")
    before = pixels_of(page, "scarf")
    tell(page, footage.id, lambda: matrix.select_option("bt601"))
    again = page.get_by_role("button", name="As the file has it")
    expect(again).to_be_visible()
    tell(page, footage.id, lambda: chroma.select_option("left"))
    page.reload()
    expect(matrix).to_have_value("bt601")
    expect(chroma).to_have_value("left")
    told = pixels_of(page, "scarf")
    assert np.abs(told.astype(int) - before).mean() > 2
    tell(page, footage.id, again.click)
    expect(again).to_have_count(0)
    expect(matrix).to_have_value("bt709")
    page.reload()
    assert np.array_equal(pixels_of(page, "scarf"), before)


def tell(page: Page, footage_id: int, act: Callable[[], object]) -> None:
    """Tell how colour is stored, and wait until the footage is read through so."""
    with page.expect_response(lambda answer: answer.url.endswith("/colour")):
        act()
    wait_for(lambda: bring_in.get_footage(footage_id).pending is None)


def pixels_of(page: Page, name: str) -> np.ndarray:
    """The picture on the card of a piece of footage, as the house sends it."""
    address = page.get_by_role("link", name=f"Open {name} on the Bench").locator("img").get_attribute("src")
    sent = page.request.get(urljoin(page.url, address or "")).body()
    return np.asarray(Image.open(BytesIO(sent)).convert("RGB"))


def test_the_screen_is_measured_by_keys(bench: Page) -> None:
    page = bench
    settled(page)
    at = revision(page)
    page.locator("#booth").focus()
    page.keyboard.press("m")
    for _ in range(3):
        page.keyboard.press("Shift+ArrowUp")
    page.keyboard.press("Shift+ArrowLeft")
    expect(page.locator("#box")).to_be_visible()
    page.keyboard.press("Enter")
    expect(page.locator("#revision")).to_have_text(str(at + 1))
    expect(page.locator("#box")).to_be_hidden()
    expect(page.get_by_label("Mark the ground")).to_have_attribute("aria-pressed", "false")
    page.keyboard.press("2")
    page.get_by_label("Remove sample 1").press("Enter")
    expect(page.locator("#revision")).to_have_text(str(at + 2))
    expect(page.get_by_label("Kind of ground")).to_be_focused()


def test_both_halves_of_a_split_play(bench: Page) -> None:
    page = bench
    page.keyboard.press("s")
    settled(page)
    before = {canvas: pixels(page, canvas) for canvas in ("#plate", "#result")}
    page.keyboard.press(" ")
    changed = lambda canvas: not np.array_equal(pixels(page, canvas), before[canvas])  # noqa: E731
    wait_for(lambda: changed("#plate") and changed("#result"))
    page.keyboard.press(" ")


def test_a_delivery_is_reckoned_with_and_found_again(bench: Page) -> None:
    page = bench
    quote = page.locator("#quote")
    expect(quote).to_contain_text("About", timeout=30_000)
    whole = quote.inner_text()
    set_value(page, "Last frame", "5")
    kept(page)
    expect(quote).not_to_have_text(whole, timeout=30_000)
    expect(quote).to_contain_text("About", timeout=30_000)
    page.get_by_title("Deliver (9)").click()
    page.get_by_label("Longer side").fill("5")
    page.get_by_label("Longer side").press("Tab")
    expect(page.locator("#says")).to_contain_text("Longer side is a whole number from 16 to 8192")
    expect(page.get_by_label("Longer side")).to_have_value("")
    choose(page, "archive", "ffv1")
    page.get_by_label("Name", exact=True).fill("what: now?")
    page.get_by_role("button", name="Render").press("Enter")
    expect(page.locator("#says")).to_contain_text("Not every disk takes “what: now?”")
    expect(page.get_by_role("button", name="Render")).to_be_focused()
    page.goto("/renders")
    expect(page.locator('[data-render="what_ now_"]')).to_have_attribute("data-state", "done", timeout=90_000)
    page.goto("/stockroom?search=what_")
    page.get_by_role("button", name="Open its recipe").click()
    expect(page.get_by_label("Format", exact=True)).to_have_value("ffv1")
    page.goto("/stockroom?search=what_")
    page.get_by_label("Another format of what_ now_").click()
    expect(page.get_by_label("Format of the new clip")).to_be_visible()
    page.goto("/renders")
    page.get_by_role("button", name="Clear what has ended").click()
    expect(page.locator('[data-render="what_ now_"]')).to_have_count(0)
    page.goto("/stockroom?search=what_")
    expect(page.locator("[data-clip]")).to_have_count(1)


def test_presets_are_removed_only_when_that_is_meant(bench: Page) -> None:
    page = bench
    page.keyboard.press("9")
    choose(page, "web", "webp")
    page.once("dialog", lambda dialog: dialog.accept("For pages"))
    page.get_by_role("button", name="save as…").click()
    expect(page.locator("#preset option:checked")).to_have_text("For pages")
    page.get_by_label("How often it plays").fill("3")
    page.get_by_label("How often it plays").press("Tab")
    expect(page.locator("#preset option:checked")).to_have_text("Own values")
    page.locator("#preset").select_option(label="For pages")
    expect(page.get_by_label("How often it plays")).to_have_value("0")
    page.once("dialog", lambda dialog: dialog.dismiss())
    page.locator("#remove-preset").click()
    expect(page.locator("#preset option:checked")).to_have_text("For pages")
    page.once("dialog", lambda dialog: dialog.accept())
    page.locator("#remove-preset").click()
    expect(page.locator("#preset option", has_text="For pages")).to_have_count(0)
    page.get_by_label("Ready values and presets").select_option(label="Sticker, 480 px at 12 a second")
    expect(page.get_by_label("Format", exact=True)).to_have_value("gif")
    expect(page.get_by_label("Longer side")).to_have_value("480")
    with page.expect_download() as waiting:
        page.locator("#share-preset").click()
    shared = json.loads(Path(waiting.value.path()).read_text())
    assert shared["delivery"]["size"] == 480 and shared["name"].startswith("Sticker")
    shared["name"] = "Our stickers"
    page.set_input_files(
        "#read-preset", {"name": "a.json", "mimeType": "application/json", "buffer": json.dumps(shared).encode()}
    )
    expect(page.locator("#preset option:checked")).to_have_text("Our stickers")
    page.once("dialog", lambda dialog: dialog.accept("Stickers for walls"))
    page.locator("#rename-preset").click()
    expect(page.locator("#preset option:checked")).to_have_text("Stickers for walls")


def test_all_shots_are_chosen_and_those_that_went_are_not_counted(page: Page, house: House, tmp_path: Path) -> None:
    folder = tmp_path / "in"
    folder.mkdir()
    write_video(folder / "gone_soon.mp4", [shot(frame=n, uneven=0.051)[0] for n in range(2)])
    footage, _ = bring_in.take_in(folder, "gone_soon.mp4")
    wait_for(lambda: bring_in.get_footage(footage.id).state == "ready")
    page.goto("/footage")
    page.get_by_label("Choose gone_soon", exact=True).check()
    expect(page.locator("#chosen")).to_have_text("1 shot")
    page.get_by_role("button", name="Choose all").click()
    count = page.locator("[data-shot]").count()
    expect(page.locator("#chosen")).to_have_text("1 shot" if count == 1 else f"{count} shots")
    page.get_by_role("button", name="Choose none").click()
    expect(page.locator("#batch")).to_be_hidden()
    page.get_by_label("Choose gone_soon", exact=True).check()
    page.once("dialog", lambda dialog: dialog.accept())
    page.get_by_label("Remove gone_soon").click()
    expect(page.get_by_label("Choose gone_soon", exact=True)).to_have_count(0)
    expect(page.locator("#batch")).to_be_hidden()


def test_what_is_typed_or_was_refused_outlives_a_list_drawn_anew(page: Page, house: House, clip: Path) -> None:
    open_own_shot(page, clip)
    page.goto("/footage")
    page.get_by_label("Rename keeping").click()
    page.keyboard.type("half a na")
    with page.expect_response("**/footage/list*"):
        page.evaluate("htmx.trigger('#list', 'refresh')")
    page.wait_for_timeout(300)
    expect(page.get_by_label("Name", exact=True)).to_have_value("half a na")
    page.keyboard.press("Escape")
    expect(page.get_by_role("heading", name="keeping", exact=True)).to_be_visible()
