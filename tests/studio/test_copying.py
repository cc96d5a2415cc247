"""One recipe for many shots: what each takes over, and what stays its own."""

from pathlib import Path

import pytest

from brought import green_shot
from conftest import House, wait_for
from plates import BLUE, shot, write_video
from upholster.core.documents.tracks import Keyframe
from upholster.studio.errors import Refused
from upholster.studio.footage import bring_in
from upholster.studio.shots import copying, shots


@pytest.fixture(scope="module")
def source(house: House, tmp_path_factory: pytest.TempPathFactory) -> int:
    """A green shot with choices in several lines."""
    number = green_shot(tmp_path_factory.mktemp("source"), "owl_source", 20, 0.041)
    state = shots.open_shot(number)
    recipe = state.recipe.model_copy(
        update={
            "take": state.recipe.take.changed({"first": 3, "last": 18, "crop_left": 20}),
            "matte": state.recipe.matte.changed({"fill_holes": 20.0}),
            "edge": state.recipe.edge.changed({"choke": (Keyframe(frame=0, value=0.0), Keyframe(frame=9, value=2.0))}),
            "finish": state.recipe.finish.changed({"saturation": 0.5}),
        }
    )
    shots.revise(number, recipe, "chosen", state.revision)
    return number


def test_chosen_lines_are_given_as_a_revision_of_its_own(source: int, tmp_path: Path) -> None:
    target = green_shot(tmp_path, "owl_target", 12, 0.043)
    before = shots.open_shot(target).recipe
    (given,) = copying.give_recipe(source, [target, source, target], ["take", "edge", "finish"])
    now = shots.open_shot(target)
    assert (given.shot, given.revision) == (target, now.revision) == (target, 2)
    assert (now.recipe.edge, now.recipe.finish) == (
        shots.open_shot(source).recipe.edge,
        shots.open_shot(source).recipe.finish,
    )
    assert (now.recipe.matte, now.recipe.screen) == (before.matte, before.screen), "lines that were not chosen"
    # It is shorter, and of the same size.
    assert (now.recipe.take.first, now.recipe.take.last, now.recipe.take.crop_left) == (3, 11, 20)
    assert given.sentences == ["It ends on frame 11: it is shorter."]
    assert shots.undo(target, now.revision).recipe == before


def test_another_screen_and_another_grain_stay_its_own_and_are_told(source: int, tmp_path: Path) -> None:
    write_video(tmp_path / "owl_blue.mp4", [shot(BLUE, frame=n, noise=0.012)[0] for n in range(8)])
    footage, _ = bring_in.take_in(tmp_path, "owl_blue.mp4")
    wait_for(lambda: bring_in.get_footage(footage.id).state == "ready")
    target = shots.first_of(footage.id)
    before = shots.open_shot(target).recipe
    (given,) = copying.give_recipe(source, [target], ["screen", "matte"])
    now = shots.open_shot(target).recipe
    assert now.screen == before.screen and now.matte.fill_holes == 20.0
    assert (now.matte.black_point, now.matte.white_point) == (before.matte.black_point, before.matte.white_point)
    assert any("blue screen" in s and "green screen" in s for s in given.sentences)
    assert any("own grain" in s for s in given.sentences)


def test_what_is_drawn_is_kept_where_the_size_is_another(source: int, tmp_path: Path) -> None:
    write_video(tmp_path / "owl_small.mp4", [shot(frame=n)[0][:, :160, :240] for n in range(6)])
    footage, _ = bring_in.take_in(tmp_path, "owl_small.mp4")
    wait_for(lambda: bring_in.get_footage(footage.id).state == "ready")
    target = shots.first_of(footage.id)
    (given,) = copying.give_recipe(source, [target], ["masks", "take"])
    assert given.sentences[0] == "Its masks stay as they are: it is of another size."
    assert "Its crop stays as it is: it is of another size." in given.sentences
    assert shots.open_shot(target).recipe.take.crop_left == 0


def test_a_shot_that_is_gone_is_told_of_and_the_others_are_given_theirs(source: int, tmp_path: Path) -> None:
    target = green_shot(tmp_path, "owl_other", 9, 0.047)
    gone, given = copying.give_recipe(source, [2_000_000, target], ["finish"])
    assert gone.revision == 0 and gone.sentences[0].endswith(".")
    assert given.revision == 2 and not given.sentences
    with pytest.raises(Refused, match="at least one line"):
        copying.give_recipe(source, [target], [])
