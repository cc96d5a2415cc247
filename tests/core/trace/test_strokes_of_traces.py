"""Strokes as documents, as they lie on a picture, and what mattes depend on them."""

from typing import Any

import numpy as np
import pytest

from plates import street_strokes
from upholster.core.documents.recipe import Recipe, RecipeError, changed, differences, document_of, read_recipe
from upholster.core.documents.strokes import Strokes
from upholster.core.documents.traces import Trace
from upholster.core.raster import Raster
from upholster.core.trace.painted import DROP, KEEP, painted
from upholster.core.trace.plan import digests, stretches

PLATE = Raster.of_plate(320, 180)


def dot(frame: int = 0, kind: str = "keep", x: float = 100, y: float = 50, radius: float = 4) -> dict[str, Any]:
    return {"frame": frame, "kind": kind, "radius": radius, "points": [[x, y]]}


def trace(*strokes: dict[str, Any], **more: Any) -> Trace:
    return Trace.model_validate({"strokes": list(strokes), **more})


def test_the_later_stroke_wins_and_a_dot_is_a_disc() -> None:
    held = Strokes.read([dot(radius=10), dot(kind="drop", x=104, radius=4)])
    where = painted(held.each, PLATE)
    assert where[50, 104] == DROP and where[50, 94] == KEEP and where[50, 120] == 0
    assert np.count_nonzero(painted(Strokes.read([dot(radius=20)]).each, PLATE)) == pytest.approx(np.pi * 400, rel=0.05)


def test_strokes_may_lie_outside_and_be_thin_or_pressed() -> None:
    far = {"frame": 0, "kind": "drop", "radius": 3, "points": [[-500, -500], [900, 700]]}
    thin = {"frame": 0, "kind": "keep", "radius": 0.5, "points": [[10, 10], [60, 10]]}
    pressed = {"frame": 0, "kind": "soft", "radius": 3, "points": [[10, 100], [200, 100]], "radii": [2, 12]}
    where = painted(Strokes.read([far, thin, pressed]).each, PLATE)
    assert (where[10, 12:58] == KEEP).all()
    assert (where == 3).sum(axis=0)[190] > (where == 3).sum(axis=0)[6]
    assert not painted(Strokes.read([dot(x=1e6, y=-1e6)]).each, PLATE).any()


@pytest.mark.parametrize(
    ("strokes", "words"),
    [
        (3, "strokes are a list"),
        ([{"frame": 0}], "keep"),
        ([dot(kind="maybe")], "“keep”, “drop” or “soft”"),
        ([dot(frame=-1)], "frame is a whole number"),
        ([dot(radius=0)], "a radius is a number"),
        ([dot(x=float("nan"))], "a point is two numbers"),
        ([dot(x=10**400)], "a point is two numbers"),
        ([dot() | {"points": []}], "1 to 20000 points"),
        ([dot() | {"points": [[1, 2]] * 1_000_000}], "1 to 20000 points"),
        ([dot() | {"colour": 3}], "and nothing else"),
        ([dot() | {"radii": [1, 2]}], "one number for each point"),
        ([dot()] * 5001, "at most 5000 strokes"),
        ([dot() | {"points": [[1, 2]] * 20_000}] * 26, "500000 points"),
    ],
)
def test_bad_strokes_get_one_sentence(strokes: object, words: str) -> None:
    with pytest.raises(RecipeError, match="strokes") as told:
        read_recipe({"version": 2, "traces": [{"strokes": strokes}]})
    assert words in str(told.value) and len(str(told.value)) < 300


def test_a_plain_list_of_traces_is_read_and_kept_by_digest() -> None:
    recipe = read_recipe({"version": 2, "traces": [{"name": "Kite", "strokes": street_strokes()}]})
    assert recipe.traces.order == ("n1",) and recipe.traces.each["n1"].name == "Kite"
    assert read_recipe(document_of(recipe)) == recipe, "a file holds its strokes in full"
    shelf: dict[str, Any] = {}

    def keep(drawing: Any) -> str:
        shelf[drawing.digest] = drawing
        return str(drawing.digest)

    kept = document_of(recipe, keep)
    assert isinstance(kept["traces"]["each"]["n1"]["strokes"], str)
    assert read_recipe(kept, shelf.__getitem__) == recipe
    added = {"of": kept["traces"]["each"]["n1"]["strokes"], "add": [dot(frame=7)], "without": [1]}
    after = changed(recipe, {"traces": {"each": {"n1": {"strokes": added}}}}, shelf.__getitem__)
    assert [s.frame for s in after.traces.each["n1"].strokes.each] == [0, 7]
    assert changed(recipe, differences(recipe, after)) == after


def test_only_what_depends_on_a_correction_is_stale() -> None:
    before = trace(dot(10), base=10, last=59)
    after = trace(dot(10), dot(30, "drop"), base=10, last=59)
    one, two = digests(before, 60), digests(after, 60)
    assert set(one) == set(two) == set(range(60))
    assert [f for f in range(60) if one[f] != two[f]] == list(range(11, 60))
    third = digests(trace(dot(10), dot(30, "drop"), dot(45), base=10, last=59), 60)
    assert [f for f in range(60) if two[f] != third[f]] == list(range(31, 60))
    assert digests(trace(dot(10), dot(30, "drop") | {"on": False}, base=10, last=59), 60) == one
    assert digests(trace(dot(11), base=10, last=59), 60) == {}, "the base frame was not brushed on"


def test_what_lies_between_two_anchors_is_carried_from_both() -> None:
    held = trace(dot(10), dot(20), dot(4), base=10, first=2, last=25)
    assert [(s.start, s.frames, s.end) for s in stretches(held, 60)] == [
        (10, range(11, 20), 20),
        (20, range(21, 26), None),
        (10, range(9, 4, -1), 4),
        (4, range(3, 1, -1), None),
    ]
    assert stretches(trace(dot(10), base=10), 5) == []


def test_what_is_carried_one_way_or_not_back_keeps_the_rest_as_it_is() -> None:
    held = {"base": 10, "last": 59}
    both = digests(trace(dot(10), dot(30), **held), 60)
    onwards = digests(trace(dot(10), dot(30), **held, direction="forward"), 60)
    assert onwards == {frame: name for frame, name in both.items() if frame >= 10}
    alone = digests(trace(dot(10), **held), 60)
    kept = digests(trace(dot(10), dot(30), **held, corrects_back=False), 60)
    assert {frame for frame in kept if kept[frame] != alone[frame]} == set(range(30, 60))
    assert {frame for frame in both if both[frame] != alone[frame]} == set(range(11, 60))
    wider = digests(trace(dot(10), **held, band=8), 60)
    assert not set(wider.values()) & set(alone.values())


def test_a_base_outside_of_its_span_is_a_sentence() -> None:
    with pytest.raises(RecipeError, match="base frame 3 lies outside of the span 5 to 9"):
        read_recipe({"version": 2, "traces": [{"base": 3, "first": 5, "last": 9}]})
    assert Recipe().traces.at(0) == {"shown": ()}
