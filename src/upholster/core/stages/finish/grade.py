"""The subject's tones and its saturation: slope, offset and power, brightness, contrast and gamma, a curve."""

from typing import Any

import numpy as np
from numpy.typing import NDArray
from pydantic import Field, field_validator

from upholster.core.colour import luma_weights
from upholster.core.documents.settings import Settings
from upholster.core.documents.tracks import Track, track
from upholster.core.finish.tone import Tone, through_tones
from upholster.core.kernels import compiled, over_rows
from upholster.core.pipeline.stage import Changes, Context, Picture, Stage

Plane = NDArray[np.float32]

#: Most points of a curve, and how far apart two have to be.
MOST_POINTS, APART = 16, 0.01


def _slope(name: str) -> Track:
    return track(1.0, 0.0, 4.0, step=0.01, doc=f"{name}: multiplied by this (gain; ASC CDL slope).")


def _offset(name: str) -> Track:
    return track(0.0, -1.0, 1.0, step=0.002, doc=f"{name}: this added (lift; ASC CDL offset).")


def _power(name: str) -> Track:
    return track(1.0, 0.1, 4.0, step=0.01, doc=f"{name}: raised to this; above 1 is darker (ASC CDL power).")


class CurvePoint(Settings):
    """A point of the curve."""

    x: float = Field(ge=0, le=1, description="Value that comes in.")
    y: Track = track(0.0, 0.0, 1.0, step=0.01, doc="Value that goes out.")


class Grade(Settings):
    slope_red: Track = _slope("Red")
    slope_green: Track = _slope("Green")
    slope_blue: Track = _slope("Blue")
    offset_red: Track = _offset("Red")
    offset_green: Track = _offset("Green")
    offset_blue: Track = _offset("Blue")
    power_red: Track = _power("Red")
    power_green: Track = _power("Green")
    power_blue: Track = _power("Blue")
    brightness: Track = track(0.0, -1.0, 1.0, step=0.005, doc="Added to all primaries.")
    contrast: Track = track(1.0, 0.0, 4.0, step=0.01, doc="Spread about the pivot.")
    pivot: Track = track(0.5, 0.0, 1.0, step=0.01, doc="The value that contrast leaves alone.")
    gamma: Track = track(1.0, 0.1, 4.0, step=0.01, doc="Middle tones brighter (above 1) or darker.")
    saturation: Track = track(1.0, 0.0, 4.0, step=0.01, doc="Colour about the luma (ASC CDL saturation).")
    curve: tuple[CurvePoint, ...] = Field(
        default=(),
        max_length=MOST_POINTS,
        description="Points of a curve through which all primaries go; none leaves it straight.",
    )

    @field_validator("curve")
    @classmethod
    def _rising(cls, curve: tuple[CurvePoint, ...]) -> tuple[CurvePoint, ...]:
        if any(b.x - a.x < APART - 1e-6 for a, b in zip(curve, curve[1:], strict=False)):
            raise ValueError(f"points of a curve stand in rising order, at least {APART} apart")
        return curve

    def at(self, frame: int, fields: type[Settings] | None = None) -> dict[str, Any]:
        values = super().at(frame, fields)
        if "curve" in values:
            values["curve"] = tuple((point.x, point.at(frame)["y"]) for point in values["curve"])
        return values


def _run(picture: Picture, context: Context, **values: Any) -> Changes:
    return {"rgb": graded(picture.rgb, **values)}


def _applies(context: Context, **values: Any) -> bool:
    return any(values[name] != field.default for name, field in Grade.model_fields.items() if name != "pivot")


STAGE = Stage("grade", ("rgb",), _run, "finish", Grade, _applies)


def tones_of(values: dict[str, Any]) -> list[Tone]:
    """What red, green and blue go through."""
    common = (values["brightness"], values["contrast"], values["pivot"], values["gamma"], values["curve"])

    def tone(primary: str) -> Tone:
        slope, offset, power = (values[f"{name}_{primary}"] for name in ("slope", "offset", "power"))
        return Tone(slope, offset, power, *common)

    return [tone(primary) for primary in ("red", "green", "blue")]


def graded(rgb: Plane, *, saturation: float, **values: Any) -> Plane:
    """``(3, h, w)`` after its tones, then its saturation: the order of the ASC CDL v1.2."""
    tones = tones_of(values)
    if any(tone != Tone(pivot=tone.pivot) for tone in tones):
        rgb = through_tones(rgb, tones)
    return rgb if saturation == 1 else saturated(rgb, saturation)


def saturated(rgb: Plane, saturation: float) -> Plane:
    """``luma + saturation * (rgb - luma)`` with the luma of BT.709, as the ASC CDL v1.2 has it."""
    out = np.empty_like(rgb)
    over_rows(_saturate, rgb.shape[1], rgb, np.array(luma_weights("bt709"), np.float32), np.float32(saturation), out)
    return out


@compiled
def _saturate(rgb, weights, saturation, out, first, end):
    red, green, blue = weights
    for j in range(first, end):
        for i in range(rgb.shape[2]):
            luma = red * rgb[0, j, i] + green * rgb[1, j, i] + blue * rgb[2, j, i]
            for c in range(3):
                out[c, j, i] = luma + saturation * (rgb[c, j, i] - luma)
