import pytest
from hypothesis import given
from hypothesis import strategies as st

from upholster.core.documents.recipe import Matte, Recipe, RecipeError, Take, read_recipe
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
