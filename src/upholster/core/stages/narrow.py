"""Narrowing what is taken out to ranges of hue, saturation and lightness."""

import numpy as np
from numpy.typing import NDArray

from upholster.core.kernels import compiled, over_rows

Plane = NDArray[np.float32]

#: Saturation below which a pixel has no hue to speak of.
_GREYISH = 0.05


def narrow(
    pulled: Plane,
    plate: Plane,
    colour: tuple[float, float, float],
    *,
    hue: float,
    pale: float,
    vivid: float,
    dark: float,
    light: float,
    soft: float,
) -> Plane:
    """Coverage raised to one where a pixel's colour lies outside the ranges, with soft shoulders.

    Parameters
    ----------
    pulled : (h, w) float32
    plate : (3, h, w) float32
    colour : of 3 float
        The screen's; its hue is the middle of the range of hues.

    Notes
    -----
    Hue, saturation and lightness of the double hexcone (Joblove and Greenberg 1978, "Color spaces
    for computer graphics").
    """
    if hue >= 180 and pale <= 0 and vivid >= 1 and dark <= 0 and light >= 1:
        return pulled
    out = np.empty_like(pulled)
    f = np.float32
    middle = np.zeros((3, 1, 1), f)
    middle[:, 0, 0] = colour
    centre = np.empty(3, f)
    _describe(middle, centre)
    over_rows(
        _narrow,
        pulled.shape[0],
        pulled,
        plate,
        centre[0],
        f(hue / 180 if hue < 180 else 4),
        f(pale if pale > 0 else -4),
        f(vivid if vivid < 1 else 4),
        f(dark if dark > 0 else -4),
        f(light if light < 1 else 4),
        f(soft),
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
def _narrow(pulled, plate, centre, hue, pale, vivid, dark, light, soft, out, first, end):
    one, zero = np.float32(1), np.float32(0)
    rate = one / soft
    for j in range(first, end):
        for i in range(pulled.shape[1]):
            h, s, l = _hsl(plate[0, j, i], plate[1, j, i], plate[2, j, i])  # noqa: E741
            away = abs(h - centre)
            away = min(away, np.float32(2) - away)
            # Grey has no hue: how far it is out counts only as it gains colour.
            outside = (away - hue) * rate * min(one, s / np.float32(_GREYISH))
            outside = max(outside, (pale - s) * rate, (s - vivid) * rate)
            outside = max(outside, (dark - l) * rate, (l - light) * rate)
            kept = min(max(outside, zero), one)
            out[j, i] = pulled[j, i] + (one - pulled[j, i]) * kept
