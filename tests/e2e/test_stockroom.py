"""The Stockroom as a user has it: clips are found, described, dragged, made again; others come in."""

import re
from pathlib import Path

import cv2
import numpy as np
import pytest
from playwright.sync_api import Page, expect

from brought import green_shot
from conftest import House, wait_for
from upholster.core.documents.fitting import read_fitting
from upholster.core.documents.recipe import changed
from upholster.media.delivery import Delivery
from upholster.store.models import Clip
from upholster.studio.fittings import fittings
from upholster.studio.renders import renders
from upholster.studio.shots import shots
from upholster.studio.stock import search, stock

pytestmark = pytest.mark.e2e


@pytest.fixture(scope="module")
def shot_id(house: House, tmp_path_factory: pytest.TempPathFactory) -> int:
    return green_shot(tmp_path_factory.mktemp("shelves"), "godwit", 6, 0.0417)


@pytest.fixture(scope="module")
def stocked(shot_id: int) -> list[Clip]:
    """Three clips of one shot: fine, small, and over a ground."""
    deliveries = [Delivery(format="ffv1"), Delivery(format="gif", size=64), Delivery(format="over-h264")]
    made = renders.order(shot_id, shots.open_shot(shot_id).revision, deliveries, "godwit")
    ids = {render.id for render in made}
    wait_for(lambda: len([c for c in search.clips() if c.render_id in ids]) == 3)
    return sorted((c for c in search.clips() if c.render_id in ids), key=lambda c: c.name)


def found(page: Page) -> list[str]:
    return page.locator("[data-clip]").evaluate_all("cards => cards.map(card => card.dataset.clip)")


def test_clips_are_found_by_words_tags_and_kind_and_found_again(page: Page, stocked: list[Clip]) -> None:
    page.goto("/stockroom?search=godwit")
    expect(page.locator("[data-clip]")).to_have_count(3)
    page.get_by_label("Tags of godwit_ffv1").fill("marsh, spring")
    page.get_by_label("Tags of godwit_ffv1").press("Enter")
    card = page.locator("[data-clip=godwit_gif]")
    card.get_by_text("Add a note").click()
    card.get_by_label("Notes of godwit_gif").fill("for the\nnewsletter")
    card.get_by_label("Notes of godwit_gif").blur()
    expect(page.get_by_role("button", name="marsh 1")).to_be_visible()
    page.get_by_label("godwit_gif is a favourite").click()
    expect(page.get_by_label("godwit_gif is a favourite")).to_have_attribute("aria-pressed", "true")
    search_field = page.get_by_placeholder("Name, tag or note")
    search_field.fill("")
    search_field.press_sequentially("newsl")
    expect(page.locator("[data-clip]")).to_have_count(1)
    assert found(page) == ["godwit_gif"]
    search_field.fill("godwit")
    expect(page.locator("[data-clip]")).to_have_count(3)
    page.get_by_label("Kind of alpha").select_option(label="without alpha")
    expect(page.locator("[data-clip]")).to_have_count(1)
    assert found(page) == ["godwit_over-h264"]
    page.get_by_label("Kind of alpha").select_option(label="Any alpha")
    page.get_by_label("favourites").check()
    expect(page.locator("[data-clip]")).to_have_count(1)
    page.wait_for_url(re.compile("favourite=1"))
    page.reload()
    expect(page.get_by_label("favourites")).to_be_checked()
    assert found(page) == ["godwit_gif"]
    expect(page.get_by_label("Notes of godwit_gif")).to_have_value("for the\nnewsletter")
    page.get_by_label("favourites").uncheck()
    expect(page.locator("[data-clip]")).to_have_count(3)
    page.get_by_role("button", name="marsh 1").click()
    expect(page.locator("[data-clip]")).to_have_count(1)
    expect(page.locator("#tags")).to_contain_text(re.compile(r"1 of \d+ clips"))
    page.get_by_role("button", name="marsh 1").click()
    expect(page.locator("[data-clip]")).to_have_count(3)
    page.get_by_label("Sorted").select_option(label="by name")
    wait_for(lambda: found(page) == ["godwit_ffv1", "godwit_gif", "godwit_over-h264"])
    page.get_by_role("link", name="Show all").click()
    expect(page.get_by_placeholder("Name, tag or note")).to_have_value("")


def test_another_format_and_a_card_are_made_from_a_clip(page: Page, stocked: list[Clip]) -> None:
    page.goto("/stockroom?search=godwit_ffv1")
    page.get_by_label("Another format of godwit_ffv1").click()
    expect(page.locator("#make-from")).to_have_text("Made from the clip's own file, which keeps all of it.")
    page.get_by_label("Format of the new clip").select_option(label="Animated WebP")
    page.get_by_role("button", name="Make it").click()
    expect(page.locator("#says")).to_contain_text("is being made")
    page.get_by_label("Another format of godwit_ffv1").click()
    page.get_by_label("Width of the card").fill("2.5")
    page.get_by_role("button", name="Make a card for 3D").click()
    wait_for(lambda: {"webp", "card"} <= {c.format for c in search.clips() if c.name.startswith("godwit_ffv1_v")})
    card = next(c for c in search.clips() if c.format == "card" and c.name.startswith("godwit_ffv1_v"))
    assert card.render and card.render.delivery["metres"] == 2.5 and stock.file_of(card).suffix == ".zip"
    page.goto("/stockroom?search=godwit_gif")
    page.get_by_label("Another format of godwit_gif").click()
    expect(page.locator("#make-from")).to_contain_text("too coarse to make others from: made anew from “godwit”")


def test_a_clip_is_dragged_onto_a_fitting_and_out_as_a_file(page: Page, stocked: list[Clip]) -> None:
    row = fittings.new_fitting("Reed bed", read_fitting({"frame": {"width": 160, "height": 90, "length": 6}}))
    page.goto("/stockroom?search=godwit_ffv1")
    card = page.locator("[data-clip=godwit_ffv1]")
    told = page.evaluate(
        """() => {
            const card = document.querySelector("[data-clip=godwit_ffv1] .ground");
            window.carried = new DataTransfer();
            card.dispatchEvent(new DragEvent("dragstart", { dataTransfer: window.carried, bubbles: true }));
            return [...window.carried.types].map((type) => window.carried.getData(type));
        }"""
    )
    assert any(t.startswith("application/octet-stream:godwit_ffv1.mkv:http") for t in told)
    expect(page.locator("#shelf")).to_be_visible()
    page.locator("#shelf").get_by_text("Reed bed").evaluate(
        """to => to.dispatchEvent(new DragEvent("drop", {
            dataTransfer: window.carried, bubbles: true, cancelable: true,
        }))"""
    )
    expect(page.locator("#says")).to_contain_text("It lies in Reed bed now.")
    (layer,) = fittings.open_fitting(row.id).document.layers.in_order
    assert (layer.name, layer.scale) == ("godwit_ffv1", 0.5)
    expect(card).to_contain_text("In 1 fitting: Reed bed")
    page.once("dialog", lambda dialog: dialog.dismiss())
    page.get_by_label("Delete godwit_ffv1", exact=True).click()
    expect(card).to_be_visible()
    # On the page of the fitting, it lands where it is let go.
    page.goto(f"/fittings/{row.id}")
    page.wait_for_function("() => document.querySelector('#result').width > 100")
    page.evaluate(
        """(id) => {
            const carried = new DataTransfer();
            carried.setData("application/x-upholster-clip", String(id));
            const room = document.querySelector("#stage").getBoundingClientRect();
            const at = { clientX: room.left + room.width / 4, clientY: room.top + room.height / 2 };
            const drop = { dataTransfer: carried, bubbles: true, cancelable: true, ...at };
            document.querySelector("#booth").dispatchEvent(new DragEvent("drop", drop));
        }""",
        stocked[0].id,
    )
    expect(page.locator("#layer-list li")).to_have_count(2)
    wait_for(lambda: len(fittings.open_fitting(row.id).document.layers.order) == 2)
    assert fittings.open_fitting(row.id).document.layers.in_order[1].x == -40


def test_clips_keyed_elsewhere_come_in_and_what_hides_nothing_is_told(page: Page, tmp_path: Path) -> None:
    for name, hides in (("ruff", True), ("snipe", False)):
        alpha = np.zeros((60, 90), np.uint8) if hides else np.full((60, 90), 255, np.uint8)
        alpha[20:40, 30:60] = 255
        picture = np.dstack([np.full((60, 90, 3), len(name) * 20, np.uint8), alpha])
        cv2.imwrite(str(tmp_path / f"{name}.png"), picture)
    page.goto("/stockroom")
    page.set_input_files("#files", [str(tmp_path / "ruff.png"), str(tmp_path / "snipe.png")])
    card = page.locator("[data-clip=ruff]")
    expect(card).to_contain_text("brought in as png, straight alpha", timeout=60_000)
    told = page.locator("[id^=coming-]", has_text="snipe")
    expect(told).to_contain_text("It was not kept as a clip:", timeout=60_000)
    told.get_by_role("button", name="Dismiss").click()
    expect(told).to_have_count(0)
    with page.expect_download() as coming:
        card.get_by_role("link", name="Download").click()
    assert Path(coming.value.path()).read_bytes() == (tmp_path / "ruff.png").read_bytes()
    card.get_by_role("button", name="Open on the Bench").click()
    page.wait_for_url("**/bench/*")


def test_a_fitting_says_when_a_shot_in_it_was_changed_and_is_made_anew(page: Page, shot_id: int) -> None:
    layer = {"source": {"kind": "shot", "id": shot_id}, "name": "Godwit"}
    frame = {"width": 160, "height": 90, "length": 4}
    row = fittings.new_fitting("Tide", read_fitting({"frame": frame, "layers": [layer]}))
    (made,) = renders.order_fitting(row.id, 1, [Delivery(format="ffv1")], "tide one")
    wait_for(lambda: any(c.render_id == made.id for c in search.clips()))
    page.goto("/stockroom?search=tide")
    expect(page.locator("[data-clip='tide one']")).to_be_visible()
    assert page.get_by_text("Changed since").count() == 0
    state = shots.open_shot(shot_id)
    shots.revise(shot_id, changed(state.recipe, {"edge": {"choke": 2}}), "Choked", state.revision)
    page.reload()
    expect(page.locator("[data-clip='tide one']")).to_contain_text("Changed since in this fitting: godwit.")
    page.get_by_role("button", name="Make it anew").click()
    wait_for(lambda: any(c.name == "Tide_v001" for c in search.clips()))
    page.goto("/stockroom?search=tide_v001")
    expect(page.locator("[data-clip=Tide_v001]")).to_be_visible()
    assert page.get_by_text("Changed since").count() == 0


def test_whoever_comes_back_finds_the_place_again(page: Page, stocked: list[Clip]) -> None:
    page.set_viewport_size({"width": 760, "height": 420})
    page.goto("/stockroom")
    page.locator("main").evaluate("main => main.scrollTo(0, 260)")
    page.goto("/renders")
    page.goto("/stockroom")
    page.wait_for_function("() => Math.abs(document.querySelector('main').scrollTop - 260) < 20")


def test_whoever_wants_less_motion_lets_clips_go_one_by_one(page: Page, stocked: list[Clip]) -> None:
    page.emulate_media(reduced_motion="reduce")
    page.goto("/stockroom?search=godwit")
    video = page.locator("[data-clip=godwit_ffv1] video")
    moved = "video => video.currentTime > 0 && !video.paused"
    page.wait_for_timeout(1500)
    assert not video.evaluate(moved)
    page.get_by_label("Hold godwit_ffv1 still").click()
    wait_for(lambda: video.evaluate(moved))
