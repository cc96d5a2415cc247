"""Narrowing what is taken out to ranges of hue, saturation and lightness."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from upholster.core.documents.settings import Settings
from upholster.core.documents.tracks import Track, track
from upholster.core.kernels import compiled, over_rows
from upholster.core.pipeline.stage import Changes, Context, Picture, Stage, covered

Plane = NDArray[np.float32]

#: Saturation below which a pixel has no hue to speak of.
_GREYISH = 0.05


class Qualifier(Settings):
    """Keeping everything whose colour lies outside these ranges."""

    hue: Track = track(180.0, 1.0, 180.0, step=1, unit="°", doc="Hue: this far either way from the screen's.")
    saturation_low: Track = track(0.0, 0.0, 1.0, step=0.01, doc="Saturation below this is kept.")
    saturation_high: Track = track(1.0, 0.0, 1.0, step=0.01, doc="Saturation above this is kept.")
    lightness_low: Track = track(0.0, 0.0, 1.0, step=0.01, doc="Lightness below this is kept.")
    lightness_high: Track = track(1.0, 0.0, 1.0, step=0.01, doc="Lightness above this is kept.")
    softness: Track = track(0.1, 0.01, 1.0, step=0.01, doc="Width of the shoulders, as a share of each range.")


def _run(picture: Picture, context: Context, **ranges: float) -> Changes:
    colour = np.mean(context.screen.colours, axis=0)
    return covered(qualify(picture.cover, picture.rgb, tuple(map(float, colour)), **ranges))


def _applies(context: Context, **ranges: Any) -> bool:
    low, high = ("saturation_low", "lightness_low"), ("saturation_high", "lightness_high")
    narrowed = any(ranges[n] > 0 for n in low) or any(ranges[n] < 1 for n in high)
    return context.keyed and (narrowed or ranges["hue"] < 180)


STAGE = Stage("qualifier", ("rgb", "cover"), _run, "qualifier", Qualifier, _applies)


def qualify(
    cover: Plane,
    plate: Plane,
    colour: tuple[float, ...],
    *,
    hue: float,
    saturation_low: float,
    saturation_high: float,
    lightness_low: float,
    lightness_high: float,
    softness: float,
) -> Plane:
    """Coverage raised to one where a pixel's colour lies outside the ranges, with soft shoulders.

    Parameters
    ----------
    cover : (h, w) float32
    plate : (3, h, w) float32
    colour : of 3 float
        The screen's; its hue is the middle of the range of hues.

    Notes
    -----
    Hue, saturation and lightness of the double hexcone (Joblove and Greenberg 1978, "Color spaces
    for computer graphics").
    """
    out = np.empty_like(cover)
    f = np.float32
    middle = np.zeros((3, 1, 1), f)
    middle[:, 0, 0] = colour
    centre = np.empty(3, f)
    _describe(middle, centre)
    over_rows(
        _keep_outside,
        cover.shape[0],
        cover,
        plate,
        centre[0],
        f(hue / 180 if hue < 180 else 4),
        f(saturation_low if saturation_low > 0 else -4),
        f(saturation_high if saturation_high < 1 else 4),
        f(lightness_low if lightness_low > 0 else -4),
        f(lightness_high if lightness_high < 1 else 4),
        f(softness),
        out,
    )
    return out


@compiled
def _hsl(r, g, b):
    """Hue in half turns -1..1 from red, saturation and lightness 0..1."""
    high, low = max(r, g, b), min(r, g, b)
    span = high - low
    lightness = (high + low) * np.float32(0.5)
    room = np.float32(1) - abs(high + low - np.float32(1))
    saturation = span / max(room, np.float32(1e-3))
    if span <= np.float32(1e-6):
        return np.float32(0), np.float32(0), lightness
    if high == r:
        turn = (g - b) / span
    elif high == g:
        turn = np.float32(2) + (b - r) / span
    else:
        turn = np.float32(4) + (r - g) / span
    turn = turn / np.float32(3)
    return turn - np.float32(2) if turn > np.float32(1) else turn, min(saturation, np.float32(1)), lightness


@compiled
def _describe(pixel, out):
    out[0], out[1], out[2] = _hsl(pixel[0, 0, 0], pixel[1, 0, 0], pixel[2, 0, 0])


@compiled
def _keep_outside(cover, plate, centre, hue, pale, vivid, dark, light, soft, out, first, end):
    one, zero = np.float32(1), np.float32(0)
    rate = one / soft
    for j in range(first, end):
        for i in range(cover.shape[1]):
            h, s, l = _hsl(plate[0, j, i], plate[1, j, i], plate[2, j, i])  # noqa: E741
            away = abs(h - centre)
            away = min(away, np.float32(2) - away)
            # Grey has no hue: how far it is out counts only as it gains colour.
            outside = (away - hue) * rate * min(one, s / np.float32(_GREYISH))
            outside = max(outside, (pale - s) * rate, (s - vivid) * rate)
            outside = max(outside, (dark - l) * rate, (l - light) * rate)
            kept = min(max(outside, zero), one)
            out[j, i] = cover[j, i] + (one - cover[j, i]) * kept
