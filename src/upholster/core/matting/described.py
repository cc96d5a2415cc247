"""What the cells of a picture look like, told in terms of the screen behind them."""

import numpy as np
from numpy.typing import NDArray

from upholster.core.colour import luma_weights
from upholster.core.kernels import compiled, inlined, over_rows

Plane = NDArray[np.float32]

#: Least strength of a screen's colour by which departures from it are counted.
LEAST_STRENGTH = 0.05
#: Departures from the screen: of colour towards grey, of colour aside, of luma.
DEPARTURES = 3
#: Pixels looked at along a side of a cell, where it has so many.
_SAMPLES = 3
#: What `described` tells of a cell.
TOLD = 9

_R, _G, _B = luma_weights("bt709")


def basis(screen: Plane) -> Plane:
    """The map from RGB differences to departures from a screen, for every cell.

    Parameters
    ----------
    screen : (3, rows, columns) float32
        The clean plate, encoded RGB.

    Returns
    -------
    (3, 3, rows, columns) float32
        ``departure[k] = sum over c of basis[k, c] * (C - B)[c]``. A step of one is the whole strength of the
        screen's colour, so that screens of any hue and strength are told alike; the screen itself is at zero, what
        has no colour at one.
    """
    out = np.empty((DEPARTURES, *screen.shape), np.float32)
    over_rows(_basis, screen.shape[1], screen, np.array(luma_weights("bt709"), np.float32), out)
    return out


@compiled
def _basis(screen, weights, out, first, end):
    one, least, nothing = np.float32(1), np.float32(LEAST_STRENGTH), np.float32(1e-6)
    r, g, b = weights
    for j in range(first, end):
        for i in range(screen.shape[2]):
            luma = r * screen[0, j, i] + g * screen[1, j, i] + b * screen[2, j, i]
            blue, red = screen[2, j, i] - luma, screen[0, j, i] - luma
            length = np.sqrt(blue * blue + red * red)
            scale = one / max(length, least)
            cosine, sine = blue / max(length, nothing), red / max(length, nothing)
            for c in range(3):
                light = weights[c]
                to_blue, to_red = (one if c == 2 else np.float32(0)) - light, (one if c == 0 else np.float32(0)) - light
                out[0, c, j, i] = -(to_blue * cosine + to_red * sine) * scale
                out[1, c, j, i] = (to_red * cosine - to_blue * sine) * scale
                out[2, c, j, i] = light * scale


def departed(screen: Plane, away: Plane) -> Plane:
    """Colours ``(3, rows, columns)`` that depart so far from a screen: what `basis` maps, mapped back."""
    luma = _R * screen[0] + _G * screen[1] + _B * screen[2]
    blue, red = screen[2] - luma, screen[0] - luma
    length = np.hypot(blue, red)
    scale = np.maximum(length, np.float32(LEAST_STRENGTH))
    cosine, sine = (part / np.maximum(length, np.float32(1e-6)) for part in (blue, red))
    light = away[2] * scale
    in_red = light - (away[0] * sine - away[1] * cosine) * scale
    in_blue = light - (away[0] * cosine + away[1] * sine) * scale
    in_green = (light - _R * in_red - _B * in_blue) / _G
    return (screen + np.stack([in_red, in_green, in_blue])).astype(np.float32)


def described(plate: Plane, cells: Plane, screen: Plane) -> Plane:
    """Mean, least and largest departure of the pixels of each cell, and the screen's luma and strength.

    Parameters
    ----------
    plate : (3, h, w) float32
    cells, screen : (3, rows, columns) float32
        The plate averaged down to cells, and the clean plate there.

    Returns
    -------
    (9, rows, columns) float32
        Means of the three departures; least and largest of the first and of the third, among some pixels of the
        cell; luma and strength.
    """
    rows, columns = screen.shape[1:]
    step = max(1, min(plate.shape[1] // rows, plate.shape[2] // columns) // _SAMPLES)
    seen = np.ascontiguousarray(plate[:, step // 2 :: step, step // 2 :: step])
    to, apart = basis(screen), cells - screen
    out = np.empty((TOLD, rows, columns), np.float32)
    for k in range(DEPARTURES):
        out[k] = (to[k] * apart).sum(axis=0)
    over_rows(_bounds, rows, seen, screen, to[0], out[3:5])
    over_rows(_bounds, rows, seen, screen, to[2], out[5:7])
    out[7] = _R * screen[0] + _G * screen[1] + _B * screen[2]
    out[8] = np.hypot(screen[2] - out[7], screen[0] - out[7])
    return out


@compiled
def _bounds(plate, screen, to, out, first, end):
    """The least and the largest departure among the pixels of each cell."""
    height, width = plate.shape[1:]
    rows, columns = screen.shape[1:]
    offset, a, b, c = (
        np.empty(width, np.float32),
        np.empty(width, np.float32),
        np.empty(width, np.float32),
        np.empty(width, np.float32),
    )
    low, high = np.empty(width, np.float32), np.empty(width, np.float32)
    for j in range(first, end):
        top = j * height // rows
        bottom = max((j + 1) * height // rows, top + 1)
        for i in range(columns):
            left, right = i * width // columns, max((i + 1) * width // columns, i * width // columns + 1)
            x, y, z = to[0, j, i], to[1, j, i], to[2, j, i]
            under = x * screen[0, j, i] + y * screen[1, j, i] + z * screen[2, j, i]
            for n in range(left, right):
                offset[n], a[n], b[n], c[n] = under, x, y, z
        low[:], high[:] = np.float32(1e9), np.float32(-1e9)
        for y in range(top, bottom):
            _widen(plate[0, y], plate[1, y], plate[2, y], offset, a, b, c, low, high)
        for i in range(columns):
            left, right = i * width // columns, max((i + 1) * width // columns, i * width // columns + 1)
            least, most = low[left], high[left]
            for n in range(left + 1, right):
                least, most = min(least, low[n]), max(most, high[n])
            out[0, j, i], out[1, j, i] = least, most


@inlined
def _widen(red, green, blue, offset, a, b, c, low, high):
    for n in range(low.shape[0]):
        away = a[n] * red[n] + b[n] * green[n] + c[n] * blue[n] - offset[n]
        low[n] = min(low[n], away)
        high[n] = max(high[n], away)
