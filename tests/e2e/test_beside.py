"""Two places of one picture side by side, as large as each other."""

from pathlib import Path

import pytest
from bench_page import open_own_shot, settled
from playwright.sync_api import Page, expect

from plates import green_clip

pytestmark = pytest.mark.e2e

#: Width, height, left and top of both stages.
SIZES = """() => ["stage", "beside"].map((id) => {
    const stage = id === "stage" ? document.getElementById(id) : document.querySelector("#beside .stage");
    const { width, height, left, top } = stage.getBoundingClientRect();
    return [width, height, left, top].map(Math.round);
})"""
#: Whether both show the same, but for colour where nothing is covered.
SAME = """() => {
    const [one, two] = [document.getElementById("result"), document.querySelector("#beside canvas")];
    const of = (canvas) => canvas.getContext("2d").getImageData(0, 0, canvas.width, canvas.height).data;
    const [a, b] = [of(one), of(two)];
    return a.length === b.length && a.every((v, k) => Math.abs(v - b[k]) <= 2 || a[k - (k % 4) + 3] < 8);
}"""


def test_another_place_is_seen_beside_the_first_and_kept(page: Page, tmp_path: Path) -> None:
    open_own_shot(page, green_clip(tmp_path / "two_places_snipe.mp4", 6, 0.0781))
    beside = page.locator("#beside")
    expect(beside).to_be_hidden()
    page.keyboard.press("q")
    expect(beside).to_be_visible()
    page.keyboard.press("+")
    page.keyboard.press("+")
    settled(page)
    one, two = page.evaluate(SIZES)
    assert one[:2] == two[:2], "as large"
    assert page.evaluate(SAME)
    box = beside.bounding_box()
    assert box
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x - 60, y - 30, steps=4)
    page.mouse.up()
    moved = page.evaluate(SIZES)
    assert moved[0] == one and [moved[1][k] - two[k] for k in (2, 3)] == pytest.approx([-60, -30], abs=2)
    # The wheel in either makes both larger; another frame and another view are seen in both.
    page.mouse.wheel(0, -200)
    one, two = page.evaluate(SIZES)
    assert one[:2] == two[:2] and one[0] > moved[0][0]
    page.keyboard.press("a")
    page.keyboard.press("ArrowRight")
    settled(page)
    page.wait_for_function(SAME)
    with page.expect_response(lambda answer: answer.url.endswith("view-state")):
        beside.focus()
        page.keyboard.press("ArrowLeft")
    page.reload()
    settled(page)
    expect(beside).to_be_visible()
    page.wait_for_function(SAME)
    page.get_by_label("Another place beside this one").click()
    expect(beside).to_be_hidden()
