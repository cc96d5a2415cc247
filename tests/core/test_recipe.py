import pytest
from hypothesis import given
from hypothesis import strategies as st

from upholster.core.documents.recipe import Matte, Recipe, RecipeError, Take, changed, differences, read_recipe
from upholster.core.documents.tracks import Keyframe, value_at


def test_a_recipe_survives_its_own_json() -> None:
    recipe = Recipe(matte=Matte(black_point=(Keyframe(frame=0, value=0.1), Keyframe(frame=8, value=0.3, next="hold"))))
    assert read_recipe(recipe.model_dump(mode="json")) == recipe


@pytest.mark.parametrize(
    ("document", "word"),
    [
        ({"matte": {"clear": 2}}, "matte"),
        ({"matte": {"clear": float("nan")}}, "matte"),
        ({"matte": {"clear": [{"frame": 4, "value": 0.1}, {"frame": 2, "value": 0.1}]}}, "order"),
        ({"blur": 1}, "blur"),
        ({"take": {"first": 9, "last": 3}}, "out frame"),
        ({"version": 99}, "version 99"),
        ([], "object"),
    ],
)
def test_what_is_not_a_recipe_is_refused_with_a_sentence(document: object, word: str) -> None:
    with pytest.raises(RecipeError, match=word):
        read_recipe(document)


def test_keyframes_reach_the_next_one_as_they_say() -> None:
    keys = (
        Keyframe(frame=0, value=0, next="linear"),
        Keyframe(frame=4, value=1, next="hold"),
        Keyframe(frame=8, value=3, next="smooth"),
        Keyframe(frame=12, value=5),
    )
    assert [value_at(keys, f) for f in (-1, 0, 1, 4, 7, 8, 10, 12, 99)] == [0, 0, 0.25, 1, 1, 3, 4, 5, 5]


@given(st.integers(0, 500), st.integers(0, 500) | st.none(), st.integers(1, 200))
def test_a_take_is_never_empty_and_stays_within_the_footage(first: int, last: int | None, length: int) -> None:
    if last is not None and last < first:
        first, last = last, first
    span = Take(first=first, last=last).span(length)
    assert len(span) >= 1 and span.start >= 0 and span.stop <= length


def test_recipes_of_version_1_are_read_as_they_were_meant() -> None:
    before = {
        "version": 1,
        "take": {"first": 3, "last": 9},
        "narrow": {"pale": 0.1, "vivid": 0.9, "dark": 0.2, "light": 0.8, "soft": 0.3, "hue": 40},
        "matte": {"steady": 0.5, "along": 0.25, "clear": 0.03, "solid": 0.9, "close": 12, "specks": 4},
        "edge": {"shift": [{"frame": 0, "value": -1.5, "next": "hold"}, {"frame": 9, "value": 0.0}], "soften": 2},
    }
    recipe = read_recipe(before)
    assert recipe.take.span(20) == range(3, 10) and recipe.take.speed == 100
    assert tuple(recipe.qualifier.at(0).values()) == (40, 0.1, 0.9, 0.2, 0.8, 0.3)
    assert recipe.matte.temporal_denoise == 0.5 and recipe.matte.edge_smoothing == 0.25
    assert (recipe.matte.black_point, recipe.matte.white_point) == (0.03, 0.9) and recipe.matte.fill_holes == 12
    # Out was positive; in is, now.
    assert [value_at(recipe.edge.choke, frame) for frame in (0, 9)] == [1.5, 0.0]
    assert read_recipe({"edge": {"shift": 2}}).edge.choke == -2, "documents without a version are of the first"
    for document in (
        {"version": 1, "matte": 3},
        {"version": 1, "edge": {"shift": "out"}},
        {"version": 1, "narrow": []},
    ):
        with pytest.raises(RecipeError):
            read_recipe(document)


def test_differences_make_one_recipe_the_other() -> None:
    one = Recipe(matte=Matte(specks=3))
    other = Recipe(take=Take(speed=50), matte=Matte(specks=(Keyframe(frame=2, value=1),)))
    told = differences(one, other)
    assert told == {"take": {"speed": 50.0}, "matte": {"specks": [{"frame": 2, "value": 1.0, "next": "linear"}]}}
    assert changed(one, told) == other and changed(other, differences(other, one)) == one
    assert differences(one, one) == {}
