"""Linked shots: a change of one goes to all, but for lines on which one departs."""

import threading
from collections.abc import Callable
from pathlib import Path

import pytest

from brought import green_shot
from conftest import House
from upholster.core.documents.recipe import Recipe
from upholster.core.documents.screen import SAMPLES, Sample
from upholster.studio.errors import Refused
from upholster.studio.shots import copying, families, shots
from upholster.studio.shots.lines import Side, with_lines


@pytest.fixture
def linked(house: House, tmp_path: Path, unlike: Callable[[], float]) -> list[int]:
    """Three shots that are linked on matte, screen and finish."""
    numbers = [plate(tmp_path, name, unlike()) for name in ("one", "two", "three")]
    given = copying.link(numbers[0], numbers, ["screen", "matte", "finish"])
    assert [each.shot for each in given] == numbers[1:] and all(each.revision for each in given)
    return numbers


@pytest.fixture(scope="module")
def unlike() -> Callable[[], float]:
    """Light of its own for each plate, so that no two have the same bytes."""
    values = iter(0.05 + 0.0007 * n for n in range(100))
    return lambda: next(values)


def plate(folder: Path, name: str, uneven: float) -> int:
    (folder / name).mkdir()
    return green_shot(folder / name, f"crane_{name}", 6, uneven)


def change(shot: int, words: str = "changed", **sections: dict[str, object]) -> Recipe:
    state = shots.open_shot(shot)
    changed = {name: getattr(state.recipe, name).changed(fields) for name, fields in sections.items()}
    return shots.revise(shot, state.recipe.model_copy(update=changed), words, state.revision).recipe


def test_a_change_goes_to_all_and_each_can_undo_it(linked: list[int]) -> None:
    one, two, three = linked
    change(two, "Holes", matte={"fill_holes": 9.0})
    assert [shots.open_shot(n).recipe.matte.fill_holes for n in linked] == [9.0] * 3
    assert shots.open_shot(three).undo == "Holes (as crane_two)"
    # Undone in one, it is undone in all.
    shots.undo(three, shots.open_shot(three).revision)
    assert len({shots.open_shot(n).recipe.matte.fill_holes for n in linked}) == 1
    assert shots.open_shot(one).recipe.matte.fill_holes != 9.0
    shots.redo(three, shots.open_shot(three).revision)
    assert [shots.open_shot(n).recipe.matte.fill_holes for n in linked] == [9.0] * 3


def test_marks_of_the_subject_are_given_and_marks_of_the_ground_stay_a_shots_own(linked: list[int]) -> None:
    one, two, three = linked
    ours, theirs, subject, veil = (
        Sample(of=of, frame=2, x=9, y=9, colour=(0.2, 0.6, value))  # type: ignore[arg-type]
        for of, value in (("ground", 0.1), ("ground", 0.2), ("subject", 0.3), ("veil", 0.4))
    )
    elsewhere = [sample.changed({"frame": None}) for sample in (subject, veil)]
    marks = lambda number: list(shots.open_shot(number).recipe.screen.samples)  # noqa: E731
    change(one, screen={"samples": (ours, subject)})
    assert marks(two) == marks(three) == elsewhere[:1], "read in another shot"
    change(two, screen={"samples": (theirs, *marks(two))})
    assert marks(one) == [ours, subject], "what it has itself stays where it was read"
    change(one, screen={"samples": (ours, subject, veil)})
    assert marks(two) == [theirs, *elsewhere] and marks(three) == elsewhere
    change(three, screen={"samples": ()})
    assert (marks(one), marks(two)) == ([ours], [theirs])


def test_marks_that_have_no_room_are_told_of(house: House, tmp_path: Path, unlike: Callable[[], float]) -> None:
    one, two = (plate(tmp_path, name, unlike()) for name in ("much", "marked"))
    marks = lambda of, count: tuple(  # noqa: E731
        Sample(of=of, frame=0, x=n, y=9, colour=(0.15, 0.6, 0.2 + n / 1000)) for n in range(count)
    )
    change(one, screen={"samples": marks("subject", 10)})
    change(two, screen={"samples": marks("ground", SAMPLES - 4)})
    source, target = (Side(state.footage, state.recipe) for state in map(shots.open_shot, (one, two)))
    recipe, told = with_lines(source, target, ["screen"], target.recipe.screen)
    assert told == ["6 of the marks had no room: a shot can have 64."] and len(recipe.screen.samples) == SAMPLES
    assert with_lines(source, target, ["screen"], source.recipe.screen)[1] == []


def test_lines_that_are_not_linked_stay_a_shots_own(linked: list[int]) -> None:
    one, two, _ = linked
    before = shots.open_shot(two)
    change(one, edge={"choke": 2.0})
    assert shots.open_shot(two).revision == before.revision
    families.depart(two, "matte")
    change(one, matte={"fill_holes": 7.0}, finish={"saturation": 0.4})
    now = shots.open_shot(two).recipe
    assert (now.matte, now.finish.saturation) == (before.recipe.matte, 0.4)
    # What departs gives nothing either.
    change(two, matte={"fill_holes": 3.0})
    assert shots.open_shot(one).recipe.matte.fill_holes == 7.0
    families.follow(two, "matte")
    assert shots.open_shot(two).recipe.matte.fill_holes == 7.0
    change(one, matte={"fill_holes": 8.0})
    assert shots.open_shot(two).recipe.matte.fill_holes == 8.0


def test_a_screen_measured_in_one_stays_its_own_and_a_pause_goes_to_all(linked: list[int]) -> None:
    one, two, _ = linked
    own = shots.open_shot(two).recipe.screen
    change(one, screen={"paused": True}, region={"joined": True})
    now = shots.open_shot(two).recipe
    assert now.screen == own.changed({"paused": True}) and now.region.joined


def test_a_shot_that_is_unlinked_goes_its_own_way_and_the_last_is_linked_with_nobody(linked: list[int]) -> None:
    one, two, three = linked
    families.unlink([two])
    change(one, finish={"saturation": 0.2})
    assert shots.open_shot(two).recipe.finish.saturation != 0.2
    assert shots.open_shot(three).recipe.finish.saturation == 0.2
    told = families.members([shots.open_shot(one).shot])
    assert [[m.shot for m in there] for there in told.values()] == [[one, three]]
    families.unlink([three])
    assert families.members([shots.open_shot(one).shot]) == {}
    with pytest.raises(Refused, match="not linked"):
        families.depart(three, "matte")


def test_whoever_is_linked_anew_leaves_its_family_as_it_is(linked: list[int], tmp_path: Path, unlike) -> None:
    one, two, three = linked
    other = plate(tmp_path, "four", unlike())
    change(other, finish={"saturation": 0.7})
    gone, given = copying.link(other, [2_000_000, three], ["finish"])
    assert (gone.revision, given.shot) == (0, three)
    assert [shots.open_shot(n).recipe.finish.saturation == 0.7 for n in (one, two, three)] == [False, False, True]
    assert families.members([shots.open_shot(three).shot]).popitem()[1] == [
        families.Member(three, "crane_three", shots.open_shot(three).shot.departs),
        families.Member(other, "crane_four", shots.open_shot(other).shot.departs),
    ]
    with pytest.raises(Refused, match="at least one line"):
        copying.link(one, [two], [])


def test_two_who_change_linked_shots_at_once_wait_for_each_other(linked: list[int]) -> None:
    states = {n: shots.open_shot(n) for n in linked}
    failed: list[BaseException] = []

    def again(shot: int) -> None:
        try:
            for n in range(12):
                state = states[shot]
                finish = state.recipe.finish.changed({"saturation": 0.1 + 0.01 * n + linked.index(shot)})
                shots.revise(shot, state.recipe.model_copy(update={"finish": finish}), "", state.revision, branch=True)
        except BaseException as error:
            failed.append(error)

    threads = [threading.Thread(target=again, args=(n,)) for n in linked]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert not failed
    assert len({shots.open_shot(n).recipe.finish.saturation for n in linked}) == 1


def test_one_that_cannot_be_changed_stays_as_it_is_and_holds_nobody_up(linked: list[int]) -> None:
    one, two, three = linked
    state = shots.open_shot(two)
    # Its empty set was taken out of the house; only its own screen goes by that.
    gone = state.recipe.screen.model_copy(update={"empty": "0" * 64})
    families.depart(two, "screen")
    shots.revise(two, state.recipe.model_copy(update={"screen": gone}), "by an empty set", state.revision)
    before = shots.open_shot(two)
    change(one, matte={"fill_holes": 6.0})
    assert [shots.open_shot(n).recipe.matte.fill_holes for n in (one, three)] == [6.0, 6.0]
    assert shots.open_shot(two).revision == before.revision
