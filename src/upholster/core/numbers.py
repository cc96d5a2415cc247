"""Numbers of a recipe: one constant, or keyframes with a way to reach the next."""

from collections.abc import Sequence
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field

#: Most keyframes of one number, and the last frame one can stand on.
MOST_KEYS, LAST_FRAME = 10_000, 10_000_000


class Keyframe(BaseModel):
    """A value at a frame, and how the number goes on from there to the next keyframe."""

    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False)

    frame: int = Field(ge=0, le=LAST_FRAME, description="Frame of the footage.")
    value: float = Field(description="The number there.")
    next: Literal["hold", "linear", "smooth"] = Field(default="linear", description="How to reach the next keyframe.")


Number = float | tuple[Keyframe, ...]


def number(default: float, low: float, high: float, *, step: float, unit: str = "", doc: str) -> Any:
    """A keyframable field of a settings model, bounded to `low`..`high`.

    `step` and `unit` are for whoever shows the number; they do not restrict it.
    """
    extra: dict[str, Any] = {"low": low, "high": high, "step": step, "unit": unit}
    return Field(default=default, description=doc, json_schema_extra=extra)


def check_number(value: Number, low: float, high: float) -> None:
    """Raise ValueError where `value` leaves ``low..high`` or its keyframes are out of order."""
    keys = () if isinstance(value, float | int) else value
    if len(keys) > MOST_KEYS:
        raise ValueError(f"there are more than {MOST_KEYS} keyframes")
    for each in [key.value for key in keys] if keys else [value]:
        if not isinstance(each, float | int) or not low <= each <= high:
            raise ValueError(f"{each} lies outside {low:g} to {high:g}")
    frames = [key.frame for key in keys]
    if frames != sorted(set(frames)):
        raise ValueError("keyframes must be in rising order of frames, one a frame")


def value_at(number: Number, frame: int) -> float:
    """The number at `frame`; constant before the first keyframe and after the last."""
    if isinstance(number, float | int):
        return float(number)
    return _between(number, frame)


def _between(keys: Sequence[Keyframe], frame: int) -> float:
    if frame <= keys[0].frame:
        return keys[0].value
    for left, right in zip(keys, keys[1:], strict=False):
        if frame < right.frame:
            if left.next == "hold":
                return left.value
            t = (frame - left.frame) / (right.frame - left.frame)
            if left.next == "smooth":
                t = t * t * (3 - 2 * t)
            return left.value + t * (right.value - left.value)
    return keys[-1].value
