"""Numbers of a document that may change over time: a constant, or keyframes with a way to the next."""

from bisect import bisect_right
from collections.abc import Sequence
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field

#: Most keyframes of one number, and the last frame one can stand on.
MOST_KEYS, LAST_FRAME = 10_000, 10_000_000

Numbers = NDArray[np.float64]
Way = Literal["hold", "linear", "smooth"]


class Keyframe(BaseModel):
    """A value at a frame, and how the number goes on from there to the next keyframe."""

    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False)

    frame: int = Field(ge=0, le=LAST_FRAME, description="Frame of the footage.")
    value: float = Field(description="The number there.")
    next: Way = Field(default="linear", description="How to reach the next keyframe.")


#: A constant, or keyframes in rising order of frames.
Track = float | tuple[Keyframe, ...]


def track(default: float, low: float, high: float, *, step: float, unit: str = "", doc: str) -> Any:
    """A keyframable field of a settings model, bounded to `low`..`high`.

    `step` and `unit` are for whoever shows the number; they do not restrict it.
    """
    extra: dict[str, Any] = {"low": low, "high": high, "step": step, "unit": unit}
    return Field(default=default, description=doc, json_schema_extra=extra)


def check_track(value: Track, low: float, high: float) -> None:
    """Raise ValueError where `value` leaves ``low..high`` or its keyframes are out of order."""
    if not isinstance(value, float | int):
        if not value:
            raise ValueError("there are no keyframes; give one, or a number")
        if len(value) > MOST_KEYS:
            raise ValueError(f"there are more than {MOST_KEYS} keyframes")
        frames = [key.frame for key in value]
        if frames != sorted(set(frames)):
            raise ValueError("keyframes must be in rising order of frames, one a frame")
    for each in [value] if isinstance(value, float | int) else [key.value for key in value]:
        if not low <= each <= high:
            raise ValueError(f"{each:g} lies outside {low:g} to {high:g}")


def value_at(value: Track, frame: float) -> float:
    """The number at `frame`; constant before the first keyframe and after the last.

    Notes
    -----
    ``smooth`` is the cubic that never leaves the range of the two keyframes it joins: slopes by the
    weighted harmonic mean of Fritsch and Butland 1984, "A method for constructing local monotone
    piecewise cubic interpolants", which lie in the region that Fritsch and Carlson 1980, "Monotone
    piecewise cubic interpolation", show to be monotone; at the ends, their three-point formula.
    """
    if isinstance(value, float | int):
        return float(value)
    index = bisect_right(value, frame, key=lambda key: key.frame) - 1
    near = value[max(index - 1, 0) : index + 3]
    values = np.array([key.value for key in near])
    return float(interpolated([key.frame for key in near], values, [key.next for key in near], frame))


def over_span(value: Track, first: int, last: int, new: float, *, length: int, ramp: int = 2) -> Track:
    """A number that is `new` from frame `first` to `last` and goes on as it was before and after.

    Parameters
    ----------
    length : int
        Frames of the footage. A span that is all of it makes a constant.
    ramp : int
        Frames on which it goes over from the one to the other.
    """
    if first <= 0 and last >= length - 1:
        return new
    begun, ended = max(0, first - ramp), min(length - 1, last + ramp)
    own = () if isinstance(value, float | int) else tuple(value)
    keys = {key.frame: key for key in own if key.frame < begun or key.frame > ended}
    if first > 0:
        keys[begun] = Keyframe(frame=begun, value=value_at(value, begun))
    keys[max(first, 0)] = Keyframe(frame=max(first, 0), value=new)
    keys[min(last, length - 1)] = Keyframe(frame=min(last, length - 1), value=new)
    if last < length - 1:
        before = [key for key in own if key.frame <= ended]
        keys[ended] = Keyframe(frame=ended, value=value_at(value, ended), next=before[-1].next if before else "linear")
    return tuple(keys[frame] for frame in sorted(keys))


def interpolated(frames: Sequence[int], values: Numbers, ways: Sequence[Way], frame: float) -> Numbers:
    """Numbers at `frame` between those ``values[k]`` at ``frames[k]``, all with the same ways from one to the next.

    Parameters
    ----------
    values : (keys, ...) float64
    """
    index = bisect_right(frames, frame) - 1
    if index < 0:
        return values[0]
    if index == len(frames) - 1 or ways[index] == "hold":
        return values[index]
    left, right = values[index], values[index + 1]
    span = frames[index + 1] - frames[index]
    t = (frame - frames[index]) / span
    rise = right - left
    if ways[index] == "linear":
        return left + t * rise
    start, end = (_slope(frames, values, k) * span for k in (index, index + 1))
    # Hermite's cubic, written around the left value.
    between = left + t * (start + t * ((3 * rise - 2 * start - end) + t * (start + end - 2 * rise)))
    return np.clip(between, np.minimum(left, right), np.maximum(left, right))


def _slope(frames: Sequence[int], values: Numbers, index: int) -> Numbers:
    """Slope at a keyframe, a frame."""
    if len(frames) == 2:
        return _rise(frames, values, 0)
    if index in (0, len(frames) - 1):
        return _end_slope(frames, values, index)
    before, after = _rise(frames, values, index - 1), _rise(frames, values, index)
    short, long = frames[index] - frames[index - 1], frames[index + 1] - frames[index]
    one, two = 2 * long + short, long + 2 * short
    with np.errstate(divide="ignore", invalid="ignore"):
        return np.where(before * after > 0, (one + two) / (one / before + two / after), 0.0)


def _end_slope(frames: Sequence[int], values: Numbers, index: int) -> Numbers:
    near, far = (0, 1) if index == 0 else (index - 1, index - 2)
    beside, beyond = (frames[k + 1] - frames[k] for k in (near, far))
    first, second = _rise(frames, values, near), _rise(frames, values, far)
    slope = ((2 * beside + beyond) * first - beside * second) / (beside + beyond)
    slope = np.where((first * second < 0) & (np.abs(slope) > 3 * np.abs(first)), 3 * first, slope)
    return np.where(slope * first > 0, slope, 0.0)


def _rise(frames: Sequence[int], values: Numbers, index: int) -> Numbers:
    return (values[index + 1] - values[index]) / (frames[index + 1] - frames[index])
