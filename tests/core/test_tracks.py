"""Numbers with keyframes, against SciPy's monotone cubic."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.interpolate import PchipInterpolator

from upholster.core.documents.tracks import Keyframe, Track, Way, check_track, value_at

WAYS = st.sampled_from(["hold", "linear", "smooth"])
values = st.floats(-50, 50).map(lambda v: round(v, 3))


def track_of(frames: list[int], numbers: list[float], ways: list[Way]) -> Track:
    return tuple(Keyframe(frame=f, value=v, next=w) for f, v, w in zip(frames, numbers, ways, strict=False))


@given(st.lists(st.integers(0, 400), min_size=2, max_size=12, unique=True), st.data())
def test_smooth_is_the_monotone_cubic_of_scipy(frames: list[int], data: st.DataObject) -> None:
    """Fritsch and Butland's slopes, as `scipy.interpolate.PchipInterpolator` documents them."""
    frames.sort()
    numbers = data.draw(st.lists(values, min_size=len(frames), max_size=len(frames)))
    keys = track_of(frames, numbers, ["smooth"] * len(frames))
    inside = range(frames[0], frames[-1] + 1)
    expected = PchipInterpolator(frames, numbers)(list(inside))
    assert [value_at(keys, f) for f in inside] == pytest.approx(list(expected), abs=1e-6)


@given(st.lists(st.integers(0, 200), min_size=2, max_size=8, unique=True), st.data())
def test_no_way_to_the_next_keyframe_ever_overshoots(frames: list[int], data: st.DataObject) -> None:
    frames.sort()
    numbers = data.draw(st.lists(values, min_size=len(frames), max_size=len(frames)))
    ways = data.draw(st.lists(WAYS, min_size=len(frames), max_size=len(frames)))
    keys = track_of(frames, numbers, ways)
    for left, right in zip(keys, keys[1:], strict=False):
        between = [value_at(keys, f) for f in np.linspace(left.frame, right.frame, 9)]
        low, high = sorted((left.value, right.value))
        assert low - 1e-9 <= min(between) and max(between) <= high + 1e-9
        way = np.diff(between) * (1 if right.value >= left.value else -1)
        assert (way >= -1e-9).all()
    assert value_at(keys, -5) == keys[0].value and value_at(keys, 999) == keys[-1].value


@pytest.mark.parametrize(
    ("track", "word"),
    [((), "no keyframes"), (track_of([1, 1], [0, 0], ["hold"] * 2), "rising"), (2.0, "outside"),
     (track_of([0], [9], ["hold"]), "outside")],
)  # fmt: skip
def test_what_is_no_track_is_refused(track: Track, word: str) -> None:
    with pytest.raises(ValueError, match=word):
        check_track(track, 0, 1)
