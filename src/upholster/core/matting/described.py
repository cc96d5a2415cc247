"""What the cells of a picture look like, told in terms of the screen behind them."""

import numpy as np
from numpy.typing import NDArray

from upholster.core.colour import luma_weights
from upholster.core.kernels import compiled, inlined, over_rows

Plane = NDArray[np.float32]

#: Least strength of a screen's colour by which departures from it are counted.
LEAST_STRENGTH = 0.05
#: What departs further than this tells nothing more.
FURTHEST = np.float32(6)
#: Departures from the screen: of colour towards grey, of colour aside, of luma.
DEPARTURES = 3
#: Pixels looked at along a side of a cell, where it has so many.
_SAMPLES = 3
#: What `described` tells of a cell.
TOLD = 12


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
    for j in range(first, end):
        for i in range(screen.shape[2]):
            to, _, _ = basis_of(screen[0, j, i], screen[1, j, i], screen[2, j, i], weights)
            for k in range(3):
                for c in range(3):
                    out[k, c, j, i] = to[k][c]


@inlined
def basis_of(red, green, blue, weights):
    """The map of one screen's colour, and its luma and strength."""
    one, least, nothing = np.float32(1), np.float32(LEAST_STRENGTH), np.float32(1e-6)
    r, g, b = weights[0], weights[1], weights[2]
    luma = r * red + g * green + b * blue
    to_blue, to_red = blue - luma, red - luma
    length = np.sqrt(to_blue * to_blue + to_red * to_red)
    scale = one / max(length, least)
    cosine, sine = to_blue / max(length, nothing) * scale, to_red / max(length, nothing) * scale
    # What a step of red, green and blue adds to either colour difference: one where it is its own, less its luma.
    towards = r * cosine - (one - r) * sine, g * (cosine + sine), b * sine - (one - b) * cosine
    aside = (one - r) * cosine + r * sine, g * (sine - cosine), -b * cosine - (one - b) * sine
    return (towards, aside, (r * scale, g * scale, b * scale)), luma, length


def departed(screen: Plane, away: Plane) -> Plane:
    """Colours ``(3, rows, columns)`` that depart so far from a screen: what `basis` maps, mapped back."""
    out = np.empty(screen.shape, np.float32)
    over_rows(_departed, screen.shape[1], screen, away, np.array(luma_weights("bt709"), np.float32), out)
    return out


@compiled
def _departed(screen, away, weights, out, first, end):
    for j in range(first, end):
        for i in range(screen.shape[2]):
            red, green, blue = screen[0, j, i], screen[1, j, i], screen[2, j, i]
            more = colour_of(red, green, blue, weights, away[0, j, i], away[1, j, i], away[2, j, i])
            out[0, j, i], out[1, j, i], out[2, j, i] = red + more[0], green + more[1], blue + more[2]


@inlined
def colour_of(red, green, blue, weights, grey, aside, light):
    """The RGB difference from a screen's colour that is such a departure from it: what `basis_of` maps, mapped back."""
    least, nothing = np.float32(LEAST_STRENGTH), np.float32(1e-6)
    r, g, b = weights[0], weights[1], weights[2]
    luma = r * red + g * green + b * blue
    to_blue, to_red = blue - luma, red - luma
    length = np.sqrt(to_blue * to_blue + to_red * to_red)
    scale = max(length, least)
    cosine, sine = to_blue / max(length, nothing), to_red / max(length, nothing)
    in_luma = light * scale
    in_red = in_luma - (grey * sine - aside * cosine) * scale
    in_blue = in_luma - (grey * cosine + aside * sine) * scale
    return in_red, (in_luma - r * in_red - b * in_blue) / g, in_blue


@inlined
def departure(to, red, green, blue):
    """An RGB difference from a screen as a departure: what `basis_of` maps. What is no number departs by nothing."""
    towards, aside, light = to
    return (
        held(towards[0] * red + towards[1] * green + towards[2] * blue),
        held(aside[0] * red + aside[1] * green + aside[2] * blue),
        held(light[0] * red + light[1] * green + light[2] * blue),
    )


@inlined
def held(value):
    """A departure no further than anything tells by; of what is no number, none."""
    return min(max(value, -FURTHEST), FURTHEST) if value == value else np.float32(0)


def described(plate: Plane, cells: Plane, screen: Plane, subject: Plane, out: Plane | None = None) -> Plane:
    """Mean, least and largest departure of the pixels of each cell, the screen's luma and strength, and the subject's.

    Parameters
    ----------
    plate : (3, h, w) float32
    cells, screen, subject : (3, rows, columns) float32
        The plate averaged down to cells, the clean plate there, and the colour that the subject is thought to have.
    out : (12, rows, columns) float32, optional
        Where to write it.

    Returns
    -------
    (12, rows, columns) float32
        Means of the three departures; least and largest of the first and of the third, among some pixels of the
        cell; luma and strength; the three departures of the subject.
    """
    rows, columns = screen.shape[1:]
    step = max(1, min(plate.shape[1] // rows, plate.shape[2] // columns) // _SAMPLES)
    seen = np.ascontiguousarray(plate[:, step // 2 :: step, step // 2 :: step])
    out = np.empty((TOLD, rows, columns), np.float32) if out is None else out
    over_rows(_describe, rows, seen, cells, screen, subject, np.array(luma_weights("bt709"), np.float32), out)
    return out


@compiled
def _describe(seen, cells, screen, subject, weights, out, first, end):
    height, width = seen.shape[1:]
    rows, columns = screen.shape[1:]
    grey, light = np.empty((6, width), np.float32), np.empty((6, width), np.float32)
    left, right = np.empty(columns, np.int64), np.empty(columns, np.int64)
    for i in range(columns):
        left[i] = i * width // columns
        right[i] = max((i + 1) * width // columns, left[i] + 1)
    for j in range(first, end):
        for i in range(columns):
            s = screen[0, j, i], screen[1, j, i], screen[2, j, i]
            to, luma, strength = basis_of(s[0], s[1], s[2], weights)
            for k in range(3):
                x, y, z = to[k]
                out[k, j, i] = x * (cells[0, j, i] - s[0]) + y * (cells[1, j, i] - s[1]) + z * (cells[2, j, i] - s[2])
                own = x * (subject[0, j, i] - s[0]) + y * (subject[1, j, i] - s[1]) + z * (subject[2, j, i] - s[2])
                out[9 + k, j, i] = own
                if k != 1:
                    held = grey if k == 0 else light
                    under = x * s[0] + y * s[1] + z * s[2]
                    for n in range(left[i], right[i]):
                        held[0, n], held[1, n], held[2, n], held[3, n] = under, x, y, z
            out[7, j, i], out[8, j, i] = luma, strength
        for held in (grey, light):
            held[4, :], held[5, :] = np.float32(1e9), np.float32(-1e9)
        top = j * height // rows
        for y in range(top, max((j + 1) * height // rows, top + 1)):
            _widen(seen[0, y], seen[1, y], seen[2, y], grey)
            _widen(seen[0, y], seen[1, y], seen[2, y], light)
        for i in range(columns):
            out[3, j, i], out[4, j, i] = _bounds(grey, left[i], right[i])
            out[5, j, i], out[6, j, i] = _bounds(light, left[i], right[i])


@inlined
def _widen(red, green, blue, held):
    for n in range(held.shape[1]):
        away = held[1, n] * red[n] + held[2, n] * green[n] + held[3, n] * blue[n] - held[0, n]
        held[4, n] = min(held[4, n], away)
        held[5, n] = max(held[5, n], away)


@inlined
def _bounds(held, left, right):
    least, most = held[4, left], held[5, left]
    for n in range(left + 1, right):
        least, most = min(least, held[4, n]), max(most, held[5, n])
    return least, most
