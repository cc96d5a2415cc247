"""Numbers of a document that may change over time: a constant, or keyframes with a way to the next."""

from bisect import bisect_right
from collections.abc import Sequence
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field

#: Most keyframes of one number, and the last frame one can stand on.
MOST_KEYS, LAST_FRAME = 10_000, 10_000_000

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
    if index < 0:
        return value[0].value
    left = value[index]
    if index == len(value) - 1 or left.next == "hold":
        return left.value
    right = value[index + 1]
    span = right.frame - left.frame
    t = (frame - left.frame) / span
    if left.next == "linear":
        return left.value + t * (right.value - left.value)
    start, end = _slope(value, index) * span, _slope(value, index + 1) * span
    # Hermite's cubic, written around the left value.
    rise = right.value - left.value
    between = left.value + t * (start + t * ((3 * rise - 2 * start - end) + t * (start + end - 2 * rise)))
    low, high = sorted((left.value, right.value))
    return min(max(between, low), high)


def _slope(keys: Sequence[Keyframe], index: int) -> float:
    """Slope at a keyframe, a frame."""
    if len(keys) == 2:
        return _rise(keys, 0)
    if index in (0, len(keys) - 1):
        return _end_slope(keys, index)
    before, after = _rise(keys, index - 1), _rise(keys, index)
    if before * after <= 0:
        return 0.0
    short, long = keys[index].frame - keys[index - 1].frame, keys[index + 1].frame - keys[index].frame
    one, two = 2 * long + short, long + 2 * short
    return (one + two) / (one / before + two / after)


def _end_slope(keys: Sequence[Keyframe], index: int) -> float:
    near, far = (0, 1) if index == 0 else (index - 1, index - 2)
    beside, beyond = (keys[k + 1].frame - keys[k].frame for k in (near, far))
    first, second = _rise(keys, near), _rise(keys, far)
    slope = ((2 * beside + beyond) * first - beside * second) / (beside + beyond)
    if slope * first <= 0:
        return 0.0
    return 3 * first if first * second < 0 and abs(slope) > 3 * abs(first) else slope


def _rise(keys: Sequence[Keyframe], index: int) -> float:
    left, right = keys[index], keys[index + 1]
    return (right.value - left.value) / (right.frame - left.frame)
