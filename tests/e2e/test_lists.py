"""Lists that are drawn anew while somebody works in them, and pages as assistive programs find them."""

import re
from pathlib import Path

import pytest
from bench_page import settled
from playwright.sync_api import Page, Route, expect

from conftest import House, wait_for
from plates import shot, write_video
from upholster.core.documents.fitting import read_fitting
from upholster.media.delivery import Delivery
from upholster.store.models import Footage, Render
from upholster.store.session import session
from upholster.studio.fittings import fittings
from upholster.studio.footage import bring_in
from upholster.studio.renders import renders
from upholster.studio.shots import shots
from upholster.web.paging import PIECE

#: The rules of axe-core, Deque's open-source checker of the Web Content Accessibility Guidelines.
AXE = Path(__file__).parents[2] / "node_modules/axe-core/axe.min.js"


@pytest.fixture(scope="module")
def brought(house: House, tmp_path_factory: pytest.TempPathFactory) -> list[int]:
    """Shots of three pieces of footage."""
    return [bring(tmp_path_factory.mktemp("lists") / f"in{n}", f"lists_{n}.mp4", 2 + n) for n in range(3)]


def bring(folder: Path, name: str, length: int) -> int:
    folder.mkdir()
    write_video(folder / name, [shot(frame=n, uneven=0.031)[0] for n in range(length)])
    footage, _ = bring_in.take_in(folder, name)
    wait_for(lambda: bring_in.get_footage(footage.id).state == "ready")
    with session() as db:
        return int(db.get_one(Footage, footage.id).shots[0].id)


def made(shot_id: int, name: str) -> int:
    (ordered,) = renders.order(shot_id, shots.open_shot(shot_id).revision, [Delivery(format="png-mov")], name)
    wait_for(lambda: state(ordered.id) == "done")
    return ordered.id


def state(render_id: int) -> str:
    with session() as db:
        return db.get_one(Render, render_id).state


def test_a_list_goes_on_after_looks_that_failed(page: Page, brought: list[int], tmp_path: Path) -> None:
    failed: list[str] = []
    page.on("requestfailed", lambda request: failed.append(request.url))
    page.goto("/footage")
    page.route("**/footage/list*", lambda route: route.abort(), times=2)
    bring(tmp_path / "late", "come_late.mp4", 5)
    expect(page.get_by_role("heading", name="come_late")).to_be_visible()
    assert sum("/footage/list" in url for url in failed) == 2


def test_what_has_the_focus_keeps_it_while_a_list_is_drawn_anew(page: Page, brought: list[int]) -> None:
    for n, shot_id in enumerate(brought[:2]):
        made(shot_id, f"kept_{n}")
    page.goto("/renders")
    link = page.locator("[data-render=kept_0]").get_by_role("link", name="In the stockroom")
    link.focus()
    with page.expect_response("**/renders/list*"):
        page.evaluate("htmx.trigger('#list', 'refresh')")
    page.wait_for_timeout(200)
    expect(link).to_be_focused()
    made(brought[2], "kept_2")
    expect(page.locator("[data-render=kept_2]")).to_be_visible()
    expect(link).to_be_focused()


def test_a_piece_that_comes_after_the_list_was_drawn_anew_stays_out_of_its_entries(
    page: Page, brought: list[int]
) -> None:
    def cancelled(name: str) -> None:
        (ordered,) = renders.order(brought[0], 1, [Delivery(format="png-mov")], name)
        renders.cancel(ordered.id)

    for n in range(2 * PIECE):
        cancelled(f"piece_{n}")
    held: list[Route] = []
    later = re.compile("/renders/list.skip=")
    page.route(later, lambda route: held.append(route))
    page.goto("/renders")
    page.get_by_text("More…").scroll_into_view_if_needed()
    while not held:
        page.wait_for_timeout(50)
    cancelled("piece_late")
    page.evaluate("htmx.trigger('#list', 'refresh')")
    expect(page.locator("[data-render=piece_late]")).to_be_visible()
    page.wait_for_timeout(500)
    for route in held:
        route.continue_()
    page.unroute(later)
    # Whatever else the house has made comes piece by piece.
    while page.get_by_text("More…").count():
        page.locator("main").evaluate("main => main.scrollTo(0, main.scrollHeight)")
        page.wait_for_timeout(300)
    names = page.locator("[data-render]").evaluate_all("rows => rows.map(row => row.dataset.render)")
    assert names[: 2 * PIECE + 1] == ["piece_late", *(f"piece_{n}" for n in reversed(range(2 * PIECE)))]
    expect(page.locator("[data-render] [data-render]")).to_have_count(0)
    expect(page.get_by_text("More…")).to_have_count(0)


def test_what_was_deleted_hands_its_focus_to_its_neighbour(page: Page, brought: list[int]) -> None:
    for n in range(3):
        made(brought[0], f"gone_{n}")
    page.goto("/stockroom?search=gone_")
    expect(page.locator("[data-clip]")).to_have_count(3)
    second = page.locator("[data-clip]").nth(1).get_attribute("data-clip")
    page.get_by_role("button", name=f"Delete {second}").press("Enter")
    expect(page.locator("[data-clip]")).to_have_count(2)
    expect(page.locator("[data-clip]").nth(1).locator(":focus")).to_have_count(1)
    tags = page.get_by_label("Tags of gone_0")
    tags.fill("late, last")
    tags.press("Enter")
    expect(tags).to_have_value("late, last")
    expect(tags).to_be_focused()


@pytest.mark.parametrize(
    "where", ["/footage", "/renders", "/stockroom", "/fittings", "/watched", "/scripts", "bench", "fitting"]
)
def test_axe_finds_nothing(page: Page, brought: list[int], where: str) -> None:
    if where == "fitting":
        layer = {"source": {"kind": "shot", "id": brought[0]}, "name": "n" * 80}
        where = f"/fittings/{fittings.new_fitting('A fitting', read_fitting({'layers': [layer] * 2})).id}"
    page.goto(f"/bench/{brought[0]}" if where == "bench" else where)
    if where == "bench":
        settled(page)
    if where.startswith("/fittings/"):
        page.locator("#layer-list [data-part=choose]").first.click()
        page.locator('[data-open="9"]').click()
        settled(page)
    page.evaluate(AXE.read_text())
    look = "axe.run().then(r => r.violations.map(v => [v.id, v.impact, v.nodes.map(n => n.html)]))"
    assert page.evaluate(look) == []
    if where == "bench":
        page.keyboard.press("e")
        expect(page.locator("#trouble-state")).not_to_contain_text("to measure", timeout=90_000)
        assert page.evaluate(look) == [], "trouble"
        # With each line of the work order unfolded, and then with the table of keys over all.
        for number in range(1, 10):
            page.keyboard.press(str(number))
            assert page.evaluate(look) == [], f"line {number}"
        page.keyboard.press("?")
        assert page.evaluate(look) == []
