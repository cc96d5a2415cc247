"""Trouble found, gone to, mended, left alone and put on the proof sheet, as a person would."""

import re
from pathlib import Path

import pytest
from bench_page import bring_in, go_to, kept, open_bench, revision, settled
from playwright.sync_api import Page, expect

from plates import HAZE_ON, HOLE_ON, LIGHT_FROM, faulty_clip

pytestmark = pytest.mark.e2e


@pytest.fixture(scope="module")
def faulty(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return faulty_clip(tmp_path_factory.mktemp("faulty") / "owl_faulty.mp4")


def measured(page: Page) -> None:
    """Wait until every frame of the shot in view is measured as it stands."""
    kept(page)
    page.wait_for_timeout(500)
    expect(page.locator("#trouble-state")).not_to_contain_text("to measure", timeout=90_000)
    expect(page.locator("#trouble-state")).to_contain_text(re.compile("worst first|Nothing"))


@pytest.fixture
def trouble(page: Page, faulty: Path) -> Page:
    bring_in(page, faulty)
    expect(page.get_by_role("link", name="Open owl_faulty on the Bench")).to_be_visible(timeout=60_000)
    open_bench(page, "owl_faulty")
    first = page.url
    page.get_by_label("Another shot from this footage").click()
    page.wait_for_url(lambda url: url != first)
    settled(page)
    page.keyboard.press("e")
    measured(page)
    return page


def frame(page: Page) -> int:
    return int(page.get_by_label("Frame number").input_value())


def row(page: Page, words: str):  # noqa: ANN201
    return page.locator("#troubles > li").filter(has_text=words).first


def test_each_fault_is_found_gone_to_and_mended_and_the_sheet_says_so(trouble: Page) -> None:
    page = trouble
    # The ribbon says of each frame what is wrong with it.
    ribbon = page.get_by_role("slider", name="Frame", exact=True)
    for number, kind in ((HAZE_ON[1], "haze"), (HOLE_ON[1], "hole"), (LIGHT_FROM, "jump")):
        go_to(page, number)
        expect(ribbon).to_have_attribute("aria-valuetext", re.compile(kind))
    go_to(page, 0)
    page.locator("#booth").click(position={"x": 5, "y": 5})
    landed = []
    for _ in range(12):
        page.keyboard.press("u")
        landed.append((page.locator("#troubles > li.chosen").inner_text().split()[1].lower(), frame(page)))
    assert any(n in HAZE_ON for word, n in landed if word == "on"), landed
    assert any(n in HOLE_ON for word, n in landed if word == "hole"), landed
    assert ("jump", LIGHT_FROM) in landed
    page.keyboard.press("Shift+u")
    assert frame(page) < LIGHT_FROM
    # On the picture, the place has a pattern and its name.
    go_to(page, HOLE_ON[1])
    expect(page.locator("#overlay .fault-name").filter(has_text="hole").first).to_be_attached()
    for words in ("A hole in the solid part", "Haze on the ground at the top right"):
        before = revision(page)
        row(page, words).get_by_role("button", name="Mend").click()
        mend = row(page, words).get_by_role("button", name="Do this")
        expect(mend).to_be_visible(timeout=30_000)
        expect(row(page, words).get_by_role("img", name=re.compile("The place"))).to_have_count(2)
        mend.click()
        page.wait_for_function(f"() => Number(document.querySelector('#revision').textContent) > {before}")
        measured(page)
        expect(page.locator("#troubles > li").filter(has_text=words)).to_have_count(0)
    with page.expect_popup() as opened:
        page.get_by_role("link", name="Proof sheet").click()
    sheet = opened.value
    line = sheet.locator("tbody tr").filter(has=sheet.get_by_role("cell", name="Hole", exact=True))
    expect(line.locator("td").nth(1)).to_have_text("0")
    jumped = sheet.locator("tbody tr").filter(has=sheet.get_by_role("cell", name="Jump", exact=True))
    expect(jumped.locator("td").nth(1)).to_have_text("1")
    expect(sheet.locator("img").first).to_have_js_property("complete", True)
    assert sheet.locator("img").first.evaluate("image => image.naturalWidth") > 200
    sheet.close()
    # One step back brings the fault back.
    page.get_by_role("button", name="Undo").click()
    measured(page)
    expect(row(page, "Haze on the ground at the top right")).to_be_visible(timeout=30_000)


def test_what_is_left_alone_is_told_no_more_until_it_is_told_again(trouble: Page) -> None:
    page = trouble
    row(page, "A jump").get_by_role("button", name="Leave alone here").click()
    expect(page.locator("#troubles > li").filter(has_text="A jump")).to_have_count(0)
    row(page, "A hole").get_by_role("button", name="Leave this kind alone").click()
    expect(page.locator("#troubles > li").filter(has_text="A hole")).to_have_count(0)
    page.reload()
    measured(page)
    expect(page.locator("#troubles > li").filter(has_text="A hole")).to_have_count(0)
    for _ in range(2):
        page.locator("#left-alone").get_by_role("button", name="Tell again").first.click()
        page.wait_for_timeout(400)
    expect(row(page, "A hole")).to_be_visible()
    expect(row(page, "A jump")).to_be_visible()
    # A kind that is not to be seen stays so on reload, and comes back by the same button.
    chip = page.locator("#trouble-kinds").get_by_role("button", name=re.compile("hole"))
    chip.click()
    expect(page.locator("#troubles > li").filter(has_text="A hole")).to_have_count(0)
    page.wait_for_timeout(700)
    page.reload()
    measured(page)
    expect(chip).to_have_attribute("aria-pressed", "false")
    chip.click()
    expect(row(page, "A hole")).to_be_visible()
