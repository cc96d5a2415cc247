"""The whole job in the real browser: a file brought in, keyed, delivered, proofed, stocked."""

import base64
import io
import json
import re
import time
from collections.abc import Iterator
from pathlib import Path

import cv2
import numpy as np
import pytest
from bench_page import bring_in, choose, go_to, open_bench, pixels, revision, set_value, settled, value
from PIL import Image
from playwright.sync_api import Page, Route, expect

from canvases import AS_TEXT, of_text
from conftest import House, opened_house, wait_for
from deliveries import deliver
from plates import flat, green_clip, shot
from upholster.media.decoder.reader import Reader

pytestmark = pytest.mark.e2e


@pytest.fixture(scope="module")
def house() -> Iterator[House]:
    """A house that nobody else furnishes."""
    with opened_house() as opened:
        yield opened


@pytest.fixture
def moth(page: Page, clip_file: Path) -> Page:
    """The Bench with the first shot of a green-screen clip."""
    bring_in(page, clip_file)
    expect(page.get_by_role("link", name="Open moth on the Bench")).to_be_visible(timeout=60_000)
    open_bench(page, "moth")
    return page


@pytest.fixture
def bench(moth: Page) -> Page:
    """The Bench with a shot of its own for the test, in its first revision."""
    first = moth.url
    moth.get_by_label("Another shot from this footage").click()
    moth.wait_for_url(lambda url: url != first)
    settled(moth)
    return moth


def test_from_a_file_to_a_proofed_stocked_clip(moth: Page, house: House, tmp_path: Path) -> None:
    page = moth
    expect(page.locator("#screen-sentence")).to_contain_text("found by looking")
    assert page.locator("#kind").input_value() == "screen"
    assert "the green screen" in page.locator("#kind option:checked").inner_text()
    settled(page)
    alpha = pixels(page)[..., 3] / 255
    assert np.mean((alpha - shot(frame=0)[1]) ** 2) < 1e-3
    assert page.get_by_label("Name", exact=True).input_value() == "moth_v001"
    choose(page, "web", "vp9")
    expect(page.get_by_label("Kind of alpha").locator("option").nth(1)).to_be_disabled()
    expect(page.locator("#deliver-note")).to_contain_text("has no other kind")
    choose(page, "archive", "ffv1")
    expect(page.locator("#quote")).to_contain_text("About", timeout=30_000)
    page.get_by_role("button", name="Render").click()
    expect(page.locator("#says")).to_contain_text("moth_v001 is being made")
    assert page.get_by_label("Name", exact=True).input_value() == "moth_v002"
    page.get_by_role("link", name="See Renders").click()
    row = page.locator('[data-render="moth_v001"]')
    expect(row).to_contain_text("Alpha checked: 24 of 24 frames", timeout=90_000)
    row.get_by_role("link", name="In the stockroom").click()
    card = page.locator('[data-clip="moth_v001"]')
    expect(card).to_contain_text("320×180, 24 frames, FFV1, 8 bits, straight")
    with page.expect_download() as download:
        card.get_by_role("link", name="Download").click()
    file = tmp_path / download.value.suggested_filename
    download.value.save_as(file)
    with Reader([file]) as reader:
        assert reader.facts.length == 24 and reader.facts.rate == 24 and reader.facts.alpha
        frame = reader.frame(10)
    assert frame.alpha is not None and np.mean((frame.alpha - shot(frame=10)[1]) ** 2) < 1e-3
    with page.expect_download() as download:
        card.get_by_role("link", name="Sidecar").click()
    told = json.loads(Path(download.value.path()).read_text())
    assert told["proof"]["passed"] and told["alpha"] == "straight" and told["recipe"]["screen"]["kind"] == "screen"
    assert len(told["source"]["sha256"]) == 64 and told["program"].startswith("upholster")
    card.get_by_role("button", name="Open its recipe").click()
    page.wait_for_url(re.compile("/bench/"))
    assert revision(page) == told["revision"]
    assert not list((house.root / "media/renders").glob("*/*")), "temporary files were left"


def test_stockroom_finds_tags_deletes_and_brings_back(page: Page) -> None:
    page.goto("/stockroom")
    tags = page.get_by_label("Tags of moth_v001")
    tags.fill("insect, dusk")
    tags.press("Enter")
    expect(page.get_by_label("Tags of moth_v001")).to_have_value("insect, dusk")
    page.get_by_placeholder("Name, tag or note").press_sequentially("dusk")
    expect(page.locator("[data-clip]")).to_have_count(1)
    page.get_by_placeholder("Name, tag or note").press_sequentially("xyz")
    expect(page.locator("main")).to_contain_text("No clip has this name or tag")
    page.goto("/stockroom?search=moth_v001")
    page.locator("#grounds [data-colour='#ffffff']").click()
    assert page.locator(".ground").first.evaluate("e => getComputedStyle(e).backgroundColor") == "rgb(255, 255, 255)"
    page.get_by_label("Delete moth_v001").click()
    expect(page.locator("[data-clip]")).to_have_count(0)
    page.reload()
    page.get_by_role("button", name="Bring moth_v001 back").click()
    expect(page.locator("[data-clip=moth_v001]")).to_be_visible()


def test_bad_files_get_one_sentence_and_leave_nothing(page: Page, house: House, tmp_path: Path) -> None:
    (tmp_path / "letter.mp4").write_text("just a letter " * 500)
    (tmp_path / "nothing.mov").touch()
    before = set((house.root / "media/footage").iterdir()) if (house.root / "media/footage").exists() else set()
    bring_in(page, tmp_path / "letter.mp4", tmp_path / "nothing.mov")
    notices = page.locator("#uploads .notice")
    expect(notices).to_have_count(2, timeout=20_000)
    assert "broken" in notices.nth(0).inner_text() and "empty" in notices.nth(1).inner_text()
    assert not list((house.root / "media/uploads").iterdir())
    assert set((house.root / "media/footage").iterdir()) == before


def test_the_same_bytes_are_recognised_and_a_sequence_is_one_piece(page: Page, clip_file: Path, tmp_path: Path) -> None:
    twin = tmp_path / "again.mp4"
    twin.write_bytes(clip_file.read_bytes())
    bring_in(page, twin)
    expect(page.locator("#says")).to_contain_text("is here already, as moth")
    pictures = []
    for n in range(1, 6):
        pictures.append(tmp_path / f"wick_{n:03d}.png")
        Image.fromarray(np.rint(shot(frame=n)[0].transpose(1, 2, 0) * 255).astype(np.uint8)).save(pictures[-1])
    bring_in(page, *pictures)
    expect(page.get_by_role("link", name="Open wick on the Bench")).to_be_visible(timeout=30_000)
    expect(page.locator("[data-footage]").first).to_contain_text("24 fps, 5 frames")


def test_values_are_typed_dragged_stepped_and_set_back(bench: Page) -> None:
    page = bench
    clear = page.get_by_role("spinbutton", name="Clear below", exact=True)
    first = clear.inner_text()
    set_value(page, "Clear below", "25")
    expect(clear).to_have_text("25 %")
    at = revision(page)
    for _ in range(3):
        clear.press("ArrowUp")
    expect(clear).to_have_text("26.5 %")
    clear.press("ArrowDown")
    clear.press("ArrowDown")
    expect(page.locator("#revision")).to_have_text(str(at + 1))
    expect(clear).to_have_text("25.5 %")
    box = clear.bounding_box()
    assert box
    page.mouse.move(box["x"] + 5, box["y"] + 5)
    page.mouse.down()
    page.mouse.move(box["x"] + 45, box["y"] + 5, steps=8)
    page.mouse.up()
    expect(clear).to_have_text("45.5 %")
    expect(page.locator('[data-stage="matte"]')).to_have_class(re.compile("set"))
    clear.dblclick()
    expect(clear).to_have_text(first)
    set_value(page, "Clear below", "700")
    assert float(clear.inner_text().removesuffix(" %")) < 100
    set_value(page, "Edge choke", "1.5")
    expect(page.locator("#edge-way")).to_be_hidden()
    set_value(page, "Edge choke", "-0.5")
    expect(page.locator("#edge-way")).to_be_visible()
    expect(value(page, "Edge choke")).to_have_text("−0.5 px")
    # What is no number changes nothing and is said; sums, units and signs count.
    settled(page)
    at = revision(page)
    for nonsense in ("0abc", "1e5", "1/0"):
        set_value(page, "Edge choke", nonsense)
        expect(page.locator("#says")).to_contain_text(f"“{nonsense}” is not a number")
    expect(value(page, "Edge choke")).to_have_text("−0.5 px")
    assert revision(page) == at
    set_value(page, "Edge choke", "1.5/2 px")
    expect(value(page, "Edge choke")).to_have_text("0.8 px")
    set_value(page, "Edge choke", "999")
    expect(page.locator("#says")).to_contain_text("Edge choke goes from")
    page.get_by_label("Pause Edge").click()
    expect(page.locator('[data-stage="edge"]')).to_have_class(re.compile("paused"))


def test_undo_redo_and_history_survive_a_reload(bench: Page) -> None:
    page = bench
    soft = page.get_by_role("spinbutton", name="Edge softness", exact=True)
    at = revision(page)
    set_value(page, "Edge softness", "2")
    set_value(page, "Edge softness", "4")
    expect(page.locator("#revision")).to_have_text(str(at + 2))
    page.keyboard.press("Control+z")
    expect(soft).to_have_text("2.0 px")
    page.reload()
    expect(soft).to_have_text("2.0 px")
    page.keyboard.press("Control+Shift+z")
    expect(soft).to_have_text("4.0 px")
    page.get_by_label("Earlier revisions").click()
    page.locator(f'[data-revision="{at + 1}"]').click()
    expect(soft).to_have_text("2.0 px")
    page.locator("#redo").click()
    expect(soft).to_have_text("4.0 px")


def test_the_screen_is_measured_by_clicking_and_a_sample_removed(bench: Page) -> None:
    page = bench
    page.keyboard.press("m")
    booth = page.locator("#stage").bounding_box()
    assert booth
    page.mouse.click(booth["x"] + booth["width"] * 0.93, booth["y"] + booth["height"] * 0.2)
    expect(page.locator("#places")).to_have_text(", measured at 1 place")
    go_to(page, 8)
    page.get_by_label("Mark the ground").click()
    page.mouse.move(booth["x"] + 40, booth["y"] + 40)
    page.mouse.down()
    page.mouse.move(booth["x"] + 70, booth["y"] + 60, steps=3)
    page.mouse.up()
    expect(page.locator("#places")).to_have_text(", measured at 2 places")
    page.get_by_title("Screen (2)").click()
    page.get_by_label("Remove sample 1").click()
    expect(page.locator("#places")).to_have_text(", measured at 1 place")
    page.locator("#kind").select_option("none")
    wait_for(lambda: bool((pixels(page)[..., 3] == 255).all()))
    page.keyboard.press("Control+z")
    wait_for(lambda: pixels(page)[..., 3].min() == 0)


def test_views_grounds_and_frames_are_kept_for_the_next_visit(bench: Page) -> None:
    page = bench
    go_to(page, 11)
    page.keyboard.press("a")
    settled(page)
    matte = pixels(page)
    assert (matte[..., 0] == matte[..., 1]).all() and matte[..., 3].min() == 255
    assert np.mean((matte[..., 0] / 255 - shot(frame=11)[1]) ** 2) < 1e-3
    page.keyboard.press("p")
    settled(page)
    assert (
        np.abs(pixels(page, "#plate")[..., :3] / 255 - shot(frame=11, uneven=0.06)[0].transpose(1, 2, 0)).mean() < 0.02
    )
    page.keyboard.press("s")
    expect(page.locator("#divider")).to_be_visible()
    page.locator("#grounds [data-colour='#808080']").click()
    settled(page)
    page.reload()
    expect(page.get_by_label("Frame number")).to_have_value("11")
    expect(page.locator("#views [data-view=split]")).to_have_attribute("aria-pressed", "true")
    expect(page.locator("#grounds [data-colour='#808080']")).to_have_attribute("aria-pressed", "true")
    page.keyboard.press("r")
    page.keyboard.press("ArrowRight")
    expect(page.get_by_label("Frame number")).to_have_value("12")
    page.keyboard.press("i")
    page.keyboard.press("Shift+ArrowRight")
    page.keyboard.press("o")
    expect(page.get_by_role("spinbutton", name="Last frame")).to_have_text("22")
    page.keyboard.press("Home")
    expect(page.get_by_label("Frame number")).to_have_value("12")
    page.keyboard.press(" ")
    expect(page.locator("#speed")).to_contain_text("of 24 frames a second", timeout=10_000)
    page.keyboard.press(" ")
    page.keyboard.press("Control+z")
    page.keyboard.press("Control+z")
    page.keyboard.press("?")
    expect(page.locator("#keys")).to_be_visible()


def test_pictures_that_come_slowly_are_gathered_before_they_are_played(bench: Page) -> None:
    page = bench

    def slowly(route: Route) -> None:
        time.sleep(0.06)
        route.continue_()

    set_value(page, "Clear below", "7")
    page.locator("#booth").click(position={"x": 3, "y": 3})
    page.route("**/picture", slowly)
    page.evaluate(
        """() => {
            performance.clearResourceTimings();
            const here = () => performance.getEntriesByType('resource').filter(({ name }) => name.endsWith('/picture'));
            document.addEventListener('frame-played', () => (window.gathered = here().length), { once: true });
        }"""
    )
    page.keyboard.press(" ")
    expect(page.locator("#speed")).to_contain_text(re.compile(r"gathering \d+ of \d+ pictures"))
    # At two thirds of its rate at most, a third and more of 24 pictures must be here before the first is played.
    assert page.wait_for_function("() => window.gathered").json_value() >= 8
    page.keyboard.press(" ")
    page.unroute("**/picture")


def test_what_is_made_while_the_hand_rests_is_not_said_to_come_late(bench: Page) -> None:
    page = bench
    ahead = []

    def slowly(route: Route) -> None:
        if route.request.post_data_json["ahead"]:
            ahead.append(route)
            time.sleep(0.5)
        route.continue_()

    page.route("**/picture", slowly)
    set_value(page, "Clear below", "6")
    while len(ahead) < 8:
        page.wait_for_timeout(100)
    assert page.locator("#busy").is_hidden()
    page.unroute("**/picture")


def test_zoom_and_readout_reach_single_pixels(bench: Page) -> None:
    page = bench
    page.keyboard.press("f")
    stage = page.locator("#stage").bounding_box()
    assert stage
    x, y = 40, 30
    page.mouse.move(stage["x"] + stage["width"] * (x + 0.5) / 320, stage["y"] + stage["height"] * (y + 0.5) / 180)
    readout = page.locator("#readout")
    expect(readout).to_contain_text(f"{x}, {y}")
    frame = int(page.get_by_label("Frame number").input_value())
    expected = shot(frame=frame, uneven=0.06, noise=0)[0][:, y, x]
    found = [float(v) for v in re.search(r"plate .*?\(([^)]*)\)", readout.inner_text()).group(1).split()]  # type: ignore[union-attr]
    assert found == pytest.approx(expected, abs=0.03)
    for _ in range(6):
        page.keyboard.press("+")
    assert int(page.locator("#zoom").inner_text().split()[0]) > 800
    assert "pixels" in (page.locator("#stage").get_attribute("class") or "")


def test_a_webm_shows_its_transparency_in_chromium(bench: Page, house: House) -> None:
    """WebM container guidelines, "Alpha channel": a browser lays the clip over the page's own colour."""
    page = bench
    choose(page, "web", "vp9")
    name = page.get_by_label("Name", exact=True).input_value()
    page.get_by_role("button", name="Render").click()
    expect(page.locator("#says")).to_contain_text("is being made")
    page.goto("/renders")
    expect(page.locator(f'[data-render="{name}"]')).to_have_attribute("data-state", "done", timeout=300_000)
    page.goto(f"/stockroom?search={name}")
    address = page.get_by_role("link", name="Download").get_attribute("href")
    page.evaluate(
        """async address => {
            document.body.innerHTML = '<video muted></video>';
            document.body.style.background = 'rgb(240, 20, 220)';
            const video = document.querySelector('video');
            Object.assign(video.style, {position: 'fixed', left: 0, top: 0, width: '320px', height: '180px'});
            video.src = address;
            await new Promise(done => { video.onloadeddata = done; });
            await new Promise(done => { video.onseeked = done; video.currentTime = 0.01; });
        }""",
        address,
    )
    page.wait_for_timeout(300)
    seen = np.asarray(
        Image.open(io.BytesIO(page.screenshot(clip={"x": 0, "y": 0, "width": 320, "height": 180}))).convert("RGB")
    )
    truth = shot(frame=0)[1]
    # At its edge the matte itself may be a little wider than the truth.
    clear = cv2.dilate(truth, np.ones((5, 5), np.uint8)) < 0.002
    assert np.abs(seen[clear].astype(int) - (240, 20, 220)).max() <= 6
    assert np.abs(seen[truth > 0.998] / 255 - (0.78, 0.56, 0.44)).mean() < 0.03


def test_two_windows_lose_nothing(bench: Page, house: House) -> None:
    """A change made from a revision that is not in force any more: both are shown, and the person chooses."""
    other = bench.context.new_page()
    other.goto(bench.url)
    at = revision(bench)
    set_value(bench, "Edge softness", "1.1")
    expect(bench.locator("#revision")).to_have_text(str(at + 1))
    set_value(other, "Edge softness", "2.2")
    dialog = other.locator("#stale")
    expect(dialog).to_contain_text(f"to revision {at + 1}: Edge softness: 1.1 px.")
    expect(dialog).to_contain_text("Here you changed: Edge softness: 2.2 px.")
    dialog.get_by_role("button", name="Take theirs").click()
    expect(other.locator("#revision")).to_have_text(str(at + 1))
    expect(value(other, "Edge softness")).to_have_text("1.1 px")
    set_value(other, "Edge softness", "3.3")
    expect(other.locator("#revision")).to_have_text(str(at + 2))
    # The first window has not seen that.
    set_value(bench, "Edge softness", "4.4")
    bench.locator("#stale").get_by_role("button", name="Keep mine as a branch").click()
    expect(bench.locator("#revision")).to_have_text(str(at + 3))
    expect(value(bench, "Edge softness")).to_have_text("4.4 px")
    # A branch goes back to what it was made from, and the other one stays among the revisions.
    bench.get_by_label("Undo").click()
    expect(value(bench, "Edge softness")).to_have_text("1.1 px")
    bench.get_by_label("Earlier revisions").click()
    expect(bench.locator("#revisions")).to_contain_text("Edge softness: 3.3 px")
    other.close()


def test_what_is_refused_is_said_in_its_place_and_the_page_stays(page: Page, moth: Page, house: House) -> None:
    """htmx would put an answer of ours into the page; an error is no list."""
    page.goto("/footage")
    card = page.locator("[data-footage]").filter(has_text="moth").first
    told = '{"problem": "Clips were made from this footage."}'
    page.route("**/remove", lambda route: route.fulfill(status=422, content_type="application/json", body=told))
    page.on("dialog", lambda dialog: dialog.accept())
    card.get_by_role("button", name="Remove moth").click()
    expect(card.get_by_role("alert")).to_have_text("Clips were made from this footage.")
    expect(card.get_by_role("heading")).to_have_text("moth")
    assert "problem" not in page.locator("#list").inner_text()


def test_every_shot_of_footage_is_reached_from_its_card(bench: Page) -> None:
    page = bench
    first = page.url
    page.get_by_label("Another shot from this footage").click()
    page.wait_for_url(lambda url: url != first)
    second = page.url
    page.goto("/footage")
    expect(page.get_by_label("More shots of moth")).to_be_visible()
    card = page.locator("[data-footage]").filter(has=page.get_by_role("heading", name="moth", exact=True))
    links = [page.evaluate("a => a.href", a) for a in card.get_by_role("link").element_handles()]
    assert {first.split("?")[0], second.split("?")[0]} <= set(links)


def test_a_whole_uploaded_film_larger_than_a_block_arrives_whole(page: Page, tmp_path: Path) -> None:
    big = green_clip(tmp_path / "long.mp4", 30)
    with big.open("ab") as file:
        # A free atom: players skip it, and it makes the file larger than one block.
        size = 18 << 20
        file.write(size.to_bytes(4, "big") + b"free" + bytes(size - 8))
    bring_in(page, big)
    expect(page.get_by_role("link", name="Open long on the Bench")).to_be_visible(timeout=60_000)
    expect(page.locator("[data-footage]").first).to_contain_text("30 frames")


def test_a_delivery_is_chosen_kept_and_made_in_several_formats_at_once(bench: Page) -> None:
    page = bench
    page.keyboard.press("9")
    choose(page, "web", "gif")
    expect(page.get_by_label("One-bit edges")).to_be_visible()
    expect(page.get_by_label("First number")).to_be_hidden()
    expect(page.get_by_label("Pass the sound through")).to_be_hidden()
    page.get_by_label("Longer side").fill("160")
    page.get_by_label("Longer side").press("Tab")
    page.get_by_label("Frames a second").fill("60")
    page.get_by_label("Frames a second").press("Tab")
    expect(page.locator("#quote")).to_contain_text("at most 50 frames a second", timeout=20_000)
    page.get_by_role("button", name="Render", exact=True).click()
    expect(page.locator("#says")).to_contain_text("at most 50 frames a second")
    page.get_by_label("Frames a second").fill("")
    page.get_by_label("Frames a second").press("Tab")
    expect(page.locator("#quote")).to_contain_text("About", timeout=30_000)
    page.reload()
    expect(page.get_by_label("Format", exact=True)).to_have_value("gif")
    expect(page.get_by_label("Longer side")).to_have_value("160")
    page.once("dialog", lambda dialog: dialog.accept("Small and moving"))
    page.get_by_role("button", name="save as…").click()
    expect(page.locator("#preset option:checked")).to_have_text("Small and moving")
    page.get_by_role("button", name="Another format").click()
    expect(page.locator("#also")).to_contain_text("and GIF, 160 px")
    choose(page, "web", "webp")
    name = page.get_by_label("Name", exact=True).input_value()
    page.get_by_role("button", name="Render 2 files").click()
    expect(page.locator("#says")).to_contain_text(f"{name}_gif, {name}_webp are being made")
    page.goto("/renders")
    for form in ("gif", "webp"):
        row = page.locator(f'[data-render="{name}_{form}"]')
        expect(row).to_have_attribute("data-state", "done", timeout=300_000)
    page.goto(f"/stockroom?search={name}_gif")
    expect(page.locator("[data-clip]")).to_contain_text("160×90, 24 frames, GIF, straight alpha")
    page.locator("[data-clip] summary").first.click()
    expect(page.get_by_label("Error by frame")).to_be_visible()


@pytest.mark.parametrize(("form", "kind"), [("apng", "image/apng"), ("webp", "image/webp"), ("gif", "image/gif")])
def test_animated_pictures_show_their_alpha_in_chromium(page: Page, tmp_path: Path, form: str, kind: str) -> None:
    """PNG third edition, RFC 9649 and GIF89a as the browser reads them: drawn over a loud colour, no box, no rim."""
    alpha = shot(soft=1.0)[1]
    # Dark colours tell wrong transfer curves apart best.
    colour = (0.09, 0.32, 0.44)
    made = deliver([(flat(colour), alpha)] * 2, tmp_path, form, blend_with="#f014dc")
    data = base64.b64encode(made.files[0].read_bytes()).decode()
    seen = page.evaluate(
        f"""async ([kind, data]) => {{
            const bytes = Uint8Array.from(atob(data), c => c.charCodeAt(0));
            const picture = await createImageBitmap(new Blob([bytes], {{type: kind}}), {{premultiplyAlpha: 'none'}});
            const canvas = new OffscreenCanvas(picture.width, picture.height);
            const context = canvas.getContext('2d');
            context.fillStyle = '#f014dc';
            context.fillRect(0, 0, picture.width, picture.height);
            context.drawImage(picture, 0, 0);
            return ({AS_TEXT})(context);
        }}""",
        [kind, data],
    )
    found = of_text(seen, 320, 180)[..., :3].transpose(2, 0, 1) / 255
    loud = np.array((240, 20, 220)).reshape(3, 1, 1) / 255
    expected = flat(colour) * alpha + loud * (1 - alpha)
    assert np.abs(found - loud)[:, alpha < 0.001].max() <= 2 / 255
    assert np.abs(found - expected).mean() < 0.01


def test_a_flat_colour_is_proposed_and_one_in_the_subject_warned_of(bench: Page) -> None:
    page = bench
    page.keyboard.press("9")
    choose(page, "recover", "flat-h264")
    expect(page.locator("#flat-words")).to_have_text("Nothing in the subject comes near this colour.", timeout=20_000)
    colour = page.get_by_label("Flat colour")
    colour.evaluate("(e, c) => { e.value = c; e.dispatchEvent(new Event('change')) }", "#c78f70")
    expect(page.locator("#flat-words")).to_contain_text("of the subject comes near this colour", timeout=20_000)
    page.get_by_role("button", name="propose a colour").click()
    expect(page.locator("#flat-words")).to_contain_text("Nothing in the subject", timeout=20_000)


def test_several_shots_are_sent_at_once_and_put_in_order(moth: Page, clip_file: Path, tmp_path: Path) -> None:
    page = moth
    other = green_clip(tmp_path / "lamp.mp4", 60)
    bring_in(page, other)
    expect(page.get_by_role("link", name="Open lamp on the Bench")).to_be_visible(timeout=60_000)
    page.get_by_label("Choose lamp", exact=True).check()
    page.get_by_label("Choose moth", exact=True).check()
    expect(page.locator("#chosen")).to_have_text("2 shots")
    page.get_by_label("Delivery of the chosen shots").select_option("prores4444")
    page.get_by_role("button", name="Render").click()
    expect(page.locator("#says")).to_contain_text("are being made")
    page.goto("/renders")
    last = page.get_by_label("before all others").last
    name = (last.get_attribute("aria-label") or "").split()[0]
    last.click()
    expect(page.locator("[data-render]").first).to_have_attribute("data-render", name)
    expect(page.get_by_role("button", name="Cancel")).to_have_count(0, timeout=120_000)


def test_keyed_footage_says_how_its_alpha_is_taken_and_can_be_told_otherwise(page: Page, tmp_path: Path) -> None:
    frames = [(flat((0.8, 0.5, 0.3)), shot(frame=n, soft=2.0)[1]) for n in range(4)]
    made = deliver(frames, tmp_path, "prores4444", alpha="premultiplied")
    file = made.files[0].rename(tmp_path / "veil.mov")
    bring_in(page, file)
    kind = page.get_by_label("Alpha of veil")
    expect(kind).to_have_value("premultiplied", timeout=30_000)
    kind.select_option("straight")
    expect(kind).to_have_value("straight", timeout=30_000)
    expect(page.get_by_label("Premultiplied over")).to_have_count(0)


@pytest.mark.parametrize("focus", ["nothing", "a button", "a list", "a value"])
def test_keys_go_where_a_person_means_them(bench: Page, focus: str) -> None:
    """Every key of the help table that stands for one button or view, from whatever was used last."""
    page = bench
    ground = page.locator("#ground-footage")

    def take_up() -> None:
        if focus == "a button":
            page.locator("#fit").click()
        elif focus == "a list":
            ground.focus()
        elif focus == "a value":
            value(page, "Edge softness").focus()
        else:
            page.evaluate("document.activeElement.blur()")

    chosen = ground.input_value()
    for key, button in (("m", "#measure"), ("c", "[data-tool=crop]"), ("d", "#masks"), ("b", "#brush")):
        take_up()
        page.keyboard.press(key)
        expect(page.locator(button).first).to_have_attribute("aria-pressed", "true")
        page.keyboard.press(key)
        expect(page.locator(button).first).to_have_attribute("aria-pressed", "false")
    for key, view in (
        ("a", "matte"),
        ("p", "plate"),
        ("s", "split"),
        ("l", "outline"),
        ("g", "dimmed"),
        ("r", "result"),
    ):
        take_up()
        page.keyboard.press(key)
        expect(page.locator(f"[data-view={view}]").first).to_have_attribute("aria-pressed", "true")
    if focus != "a value":
        take_up()
        page.keyboard.press("3")
        expect(page.locator('[data-open="3"]')).to_have_attribute("aria-expanded", "true")
        page.keyboard.press("3")
    if focus != "a list":
        take_up()
        page.keyboard.press("Space")
        expect(page.locator("#play")).to_have_attribute("aria-pressed", "true")
        page.keyboard.press("Space")
        expect(page.locator("#play")).to_have_attribute("aria-pressed", "false")
    at = revision(page)
    set_value(page, "Edge softness", "1.5" if focus == "nothing" else "2.5")
    expect(page.locator("#revision")).to_have_text(str(at + 1))
    take_up()
    page.keyboard.press("Control+z")
    expect(page.locator("#redo")).to_be_enabled()
    assert ground.input_value() == chosen


def test_a_step_and_a_reload_at_once_keep_the_value_and_the_frame(bench: Page) -> None:
    page = bench
    softness = value(page, "Edge softness")
    softness.focus()
    page.keyboard.press("ArrowUp")
    told = softness.inner_text()
    page.locator("#on").click()
    frame = page.get_by_label("Frame number").input_value()
    softness.focus()
    page.keyboard.press("ArrowUp")
    later = softness.inner_text()
    assert later != told
    page.reload()
    expect(value(page, "Edge softness")).to_have_text(later)
    expect(page.get_by_label("Frame number")).to_have_value(frame)


def test_a_frame_number_that_is_none_is_said(bench: Page) -> None:
    page = bench
    field = page.get_by_label("Frame number")
    go_to(page, 5)
    for nonsense, words in (("abc", "is no frame number, and no timecode"), ("99999", "Frames go from 0 to")):
        field.fill(nonsense)
        field.press("Enter")
        expect(page.locator("#says")).to_contain_text(words)
    assert 5 < int(field.input_value()) < 99999


def test_shift_in_the_middle_of_a_drag_goes_on_from_there(bench: Page) -> None:
    page = bench
    softness = value(page, "Edge softness")
    softness.dblclick()
    box = softness.bounding_box()
    assert box
    page.mouse.move(box["x"] + 4, box["y"] + 4)
    page.mouse.down()
    page.mouse.move(box["x"] + 24, box["y"] + 4, steps=4)
    before = float(softness.inner_text().split()[0])
    page.keyboard.down("Shift")
    page.mouse.move(box["x"] + 26, box["y"] + 4, steps=2)
    assert 0 <= float(softness.inner_text().split()[0]) - before <= 0.11
    page.keyboard.up("Shift")
    page.keyboard.press("Escape")
    page.mouse.up()
    assert float(softness.inner_text().split()[0]) == 0
