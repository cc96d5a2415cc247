"""Shapes over time: what is read and refused, and how points go from one keyframe to the next."""

import json
import math
import random
from typing import Any

import numpy as np
import pytest
from scipy.interpolate import PchipInterpolator

from upholster.core.masks.course import Course

SQUARE = [[0, 0], [10, 0], [10, 10], [0, 10]]


def course(*keys: tuple[int, Any], way: str = "linear", **more: Any) -> Course:
    return Course.read({"keys": [{"frame": f, "next": way, "points": p} for f, p in keys]} | more)


def turned(
    points: Any, degrees: float, *, size: float = 1.0, by: tuple[float, float] = (0.0, 0.0)
) -> list[list[float]]:
    places = np.asarray(points, float)
    centre = places.mean(axis=0)
    c, s = math.cos(math.radians(degrees)), math.sin(math.radians(degrees))
    return ((places - centre) @ np.array([[c, s], [-s, c]]) * size + centre + by).tolist()


def test_a_course_comes_back_from_its_document_with_the_same_digest() -> None:
    made = course((3, SQUARE), (9, turned(SQUARE, 30)), tied=[True, False, True, True])
    again = Course.read(json.loads(json.dumps(made.document())))
    assert again == made and again.digest == made.digest and hash(again) == hash(made)
    assert made != course((3, SQUARE), (9, turned(SQUARE, 31)), tied=[True, False, True, True])


def test_half_a_turn_does_not_collapse_and_keeps_every_distance() -> None:
    half = course((0, SQUARE), (10, turned(SQUARE, 180, by=(100, 0))))
    for frame in range(11):
        places = half.at(frame)[:, :2]
        centre = places.mean(axis=0)
        assert centre == pytest.approx([5 + 10 * frame, 5], abs=1e-3)
        assert np.hypot(*(places - centre).T) == pytest.approx(math.hypot(5, 5), abs=2e-3)
    quarter = half.at(5)[:, :2] - half.at(5)[:, :2].mean(axis=0)
    assert abs(quarter[0]) == pytest.approx([5, 5], abs=2e-3)


def test_handles_turn_along_and_size_changes_by_equal_shares() -> None:
    points = [[*place, -2, 0, 2, 0, 1, 3] for place in SQUARE]
    after = [[*place, 0, -8, 0, 8, 1, 3] for place in turned(SQUARE, 90, size=4)]
    middle = course((0, points), (10, after)).at(5)
    assert np.hypot(*(middle[:, :2] - [5, 5]).T) == pytest.approx(2 * math.hypot(5, 5), abs=1e-2)
    assert middle[:, 4:6] == pytest.approx(np.tile([4 * math.sqrt(0.5)] * 2, (4, 1)), abs=1e-2)
    assert middle[:, 6:] == pytest.approx(np.tile([1.0, 3.0], (4, 1)))


def test_a_change_of_form_goes_straight_and_smooth_ways_never_overshoot() -> None:
    moved = [list(p) for p in SQUARE]
    moved[2] = [14, 13]
    middle = course((0, SQUARE), (4, moved)).at(2)
    assert middle[:, :2] == pytest.approx(np.array([[0, 0], [10, 0], [12, 11.5], [0, 10]]), abs=0.25)
    draw = random.Random(5)
    frames = sorted(draw.sample(range(50), 6))
    shifts = [(draw.uniform(-90, 90), draw.uniform(-90, 90)) for _ in frames]
    keys = [(f, turned(SQUARE, 0, by=by)) for f, by in zip(frames, shifts, strict=True)]
    smooth = course(*keys, way="smooth")
    for axis in (0, 1):
        # SciPy's PchipInterpolator (Fritsch and Butland 1984).
        reference = PchipInterpolator(frames, [5 + by[axis] for by in shifts])
        for frame in np.linspace(frames[0], frames[-1], 40):
            assert smooth.at(frame)[:, axis].mean() == pytest.approx(reference(frame), abs=2e-3)
    held = course((0, SQUARE), (8, moved), way="hold")
    assert (
        (held.at(7.9) == held.at(0)).all() and (held.at(-5) == held.at(0)).all() and (held.at(99) == held.at(8)).all()
    )


def test_reshaping_removing_shifting_and_moving_in_time() -> None:
    made = course((5, SQUARE)).patched({"keys": {"9": turned(SQUARE, 0, by=(7, 0))}})
    assert made.frames == (5, 9) and made.ways == ("linear", "linear")
    assert made.at(7)[0, :2] == pytest.approx([3.5, 0])
    assert made.patched({"shift": [1, 2]}).at(7)[0, :2] == pytest.approx([4.5, 2])
    assert made.patched({"later": -5}).frames == (0, 4)
    assert made.patched({"keys": {"5": None}}).frames == (9,)
    assert made.patched({}) == made


BAD: list[tuple[Any, str]] = [
    (7, "an outline has"),
    ({"keys": []}, "1 to 10000 keyframes"),
    ({"keys": [{"frame": 0, "points": []}]}, "1 to 2000 points"),
    ({"keys": [{"frame": 0, "points": [[0, float("nan")]]}]}, "two or eight numbers"),
    ({"keys": [{"frame": 0, "points": [[0, 1e9]]}]}, "two or eight numbers"),
    ({"keys": [{"frame": 0, "points": [[0, True]]}]}, "two or eight numbers"),
    ({"keys": [{"frame": 0, "points": [[0, 10**400]]}]}, "two or eight numbers"),
    ({"keys": [{"frame": 0, "points": [[0, 0]] * 1_000_000}]}, "1 to 2000 points"),
    ({"keys": [{"frame": 0.5, "points": SQUARE}]}, "whole number"),
    ({"keys": [{"frame": -1, "points": SQUARE}]}, "frames 0 to"),
    ({"keys": [{"frame": 0, "next": "leap", "points": SQUARE}]}, "hold, linear or smooth"),
    ({"keys": [{"frame": 0, "points": SQUARE}, {"frame": 0, "points": SQUARE}]}, "rising order"),
    ({"keys": [{"frame": 0, "points": SQUARE}, {"frame": 4, "points": SQUARE[:3]}]}, "same number of points"),
    ({"keys": [{"frame": f, "points": [[0, 0]] * 2000} for f in range(300)]}, "together"),
    ({"keys": [{"frame": 0, "points": SQUARE}], "tied": [True]}, "each point"),
    ({"keys": [{"frame": 0, "points": SQUARE}], "closed": 1}, "true or false"),
    ({"keys": [{"frame": 0, "points": [[0, 0, 0, 0, 0, 0, 0, 9e4]]}]}, "feathers"),
]


@pytest.mark.parametrize(("document", "words"), BAD)
def test_nonsense_is_refused_with_a_sentence(document: Any, words: str) -> None:
    with pytest.raises(ValueError, match=words):
        Course.read(document)


@pytest.mark.parametrize(
    "patch",
    [{"keys": {"x": SQUARE}}, {"keys": {"5": SQUARE[:2]}}, {"keys": {"5": None}}, {"shift": [1]}, {"later": "now"},
     {"later": -9}, {"wider": 3}, {"keys": {"7": [[0, float("inf")]] * 4}}, {"keys": 3}],
)  # fmt: skip
def test_a_patch_that_makes_no_sense_is_refused(patch: Any) -> None:
    with pytest.raises(ValueError):
        course((5, SQUARE)).patched(patch)
