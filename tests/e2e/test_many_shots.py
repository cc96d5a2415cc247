"""Twenty shots get one recipe and are delivered in one go; one of them is broken."""

import re
from pathlib import Path

import pytest
from bench_page import bring_in, kept, open_bench, open_own_shot, set_value, settled
from playwright.sync_api import Page, expect
from sqlalchemy import text

from conftest import wait_for
from plates import shot, write_video
from upholster.store.session import session
from upholster.studio.footage import bring_in as footage
from upholster.studio.shots import shots
from upholster.studio.stock import search

pytestmark = pytest.mark.e2e

MANY = 20


@pytest.fixture(scope="module")
def plates(tmp_path_factory: pytest.TempPathFactory) -> list[Path]:
    """Short plates with long names, each in light of its own."""
    folder = tmp_path_factory.mktemp("many")
    return [
        write_video(
            folder / f"heron_take_with_a_long_name_{n:02}.mp4",
            [shot(frame=k, uneven=0.0207 + 0.004 * n)[0] for k in range(4)],
        )
        for n in range(MANY)
    ]


def test_twenty_shots_get_one_recipe_and_are_delivered_in_one_go(page: Page, plates: list[Path]) -> None:
    bring_in(page, *plates)
    names = {plate.stem for plate in plates}
    own = lambda: [f for f in footage.all_footage() if f.name in names]  # noqa: E731
    wait_for(lambda: len([f for f in own() if f.state == "ready"]) == MANY)
    open_bench(page, plates[0].stem)
    settled(page)
    set_value(page, "Edge choke", "1.5")
    set_value(page, "Saturation", "60")
    kept(page)
    page.goto("/footage")
    for plate in plates:
        page.get_by_label(f"Choose {plate.stem}", exact=True).check()
    expect(page.locator("#chosen")).to_have_text(f"{MANY} shots")
    page.get_by_label("Shot whose recipe is given").select_option(label=plates[0].stem)
    page.get_by_role("button", name="Give it").click()
    expect(page.get_by_text(re.compile(f"{MANY - 1} shots have the recipe of {plates[0].stem} now"))).to_be_visible(
        timeout=60_000
    )
    if page.locator("#outcome[open]").count():
        page.locator("#outcome").get_by_role("button", name="Close").click()
    for each in own():
        recipe = shots.open_shot(each.shots[0].id).recipe
        assert (recipe.edge.choke, recipe.finish.saturation) == (1.5, 0.6), each.name
    # One of them is broken: it cannot be opened any more.
    broken = next(f for f in own() if f.name == plates[7].stem)
    with session() as db:
        db.execute(text("UPDATE footage SET state = 'failed' WHERE id = :id"), {"id": broken.id})
    page.get_by_label("Delivery of the chosen shots").select_option(label="GIF")
    page.locator("#batch-render").click()
    outcome = page.locator("#outcome")
    expect(outcome).to_contain_text(
        f"1 of {MANY} shots cannot be delivered so. {MANY - 1} clips are being made.", timeout=60_000
    )
    expect(outcome).to_contain_text(plates[7].stem)
    expect(outcome.locator("li")).to_contain_text(re.compile(r"\."))
    made = lambda: [c for c in search.clips() if any(c.name.startswith(name) for name in names)]  # noqa: E731
    wait_for(lambda: len(made()) == MANY - 1)
    assert not any(c.name.startswith(plates[7].stem) for c in made())
    page.goto("/renders")
    expect(page.locator("#tally")).to_contain_text(re.compile(r"\d+ done"))


def test_a_second_shot_of_footage_is_chosen_and_linked_from_its_card(page: Page, tmp_path: Path) -> None:
    open_own_shot(page, write_video(tmp_path / "curlew_twice.mp4", [shot(frame=k, uneven=0.037)[0] for k in range(4)]))
    page.goto("/footage")
    card = page.locator("li.card", has_text="curlew_twice")
    for name in ("curlew_twice", "curlew_twice 2"):
        card.get_by_label(f"Choose {name}", exact=True).check()
    source = page.get_by_label("Shot whose recipe is given")
    expect(source.locator("option")).to_have_text(["curlew_twice", "curlew_twice 2"])
    source.select_option(label="curlew_twice 2")
    page.get_by_role("button", name="Link them").click()
    expect(page.get_by_text("1 shot is linked with curlew_twice 2 now")).to_be_visible()
    expect(card.get_by_text("Linked with 1 shot")).to_have_count(2)
    card.get_by_role("button", name="Unlink curlew_twice 2", exact=True).click()
    expect(card.get_by_text("Linked with 1 shot")).to_have_count(0)


def test_linked_shots_are_changed_together_until_one_departs(page: Page, tmp_path: Path) -> None:
    names = [f"bittern_{n}" for n in range(3)]
    for n, name in enumerate(names):
        write_video(tmp_path / f"{name}.mp4", [shot(frame=k, uneven=0.031)[0] for k in range(10, 14 + n)])
    bring_in(page, *sorted(tmp_path.glob("*.mp4")))
    own = lambda: {f.name: f.shots[0].id for f in footage.all_footage() if f.name in names}  # noqa: E731
    wait_for(lambda: len(own()) == 3 and all(f.state == "ready" for f in footage.all_footage() if f.name in names))
    page.goto("/footage")
    for name in names:
        page.get_by_label(f"Choose {name}", exact=True).check()
    page.get_by_label("Shot whose recipe is given").select_option(label=names[0])
    page.get_by_role("button", name="Link them").click()
    expect(page.get_by_text(f"2 shots are linked with {names[0]} now")).to_be_visible()
    card = page.locator("li.card", has_text=names[1])
    expect(card).to_contain_text("Linked with 2 shots, not in take, masks, traces.", use_inner_text=True)
    open_bench(page, names[0])
    settled(page)
    expect(page.locator("#family-others a")).to_have_text(names[1:])
    set_value(page, "Saturation", "60")
    kept(page)
    recipes = lambda: [shots.open_shot(own()[n]).recipe for n in names]  # noqa: E731
    assert [r.finish.saturation for r in recipes()] == [0.6] * 3
    # On one line this one goes its own way, and comes back to it.
    chain = page.get_by_role("button", name="Finish as in the family")
    chain.click()
    expect(chain).to_have_attribute("aria-pressed", "false")
    set_value(page, "Saturation", "20")
    kept(page)
    assert [r.finish.saturation for r in recipes()] == [0.2, 0.6, 0.6]
    page.reload()
    settled(page)
    expect(chain).to_have_attribute("aria-pressed", "false")
    chain.click()
    expect(
        page.get_by_role("spinbutton", name="Saturation", exact=True)
        .or_(page.get_by_label("Saturation", exact=True))
        .first
    ).to_contain_text("60")
    assert [r.finish.saturation for r in recipes()] == [0.6] * 3
    # The line is written anew meanwhile: what lies below it moves.
    settled(page)
    page.get_by_role("button", name="Unlink this shot").click()
    expect(page.locator("#family")).to_be_hidden()
    expect(chain).to_be_hidden()
