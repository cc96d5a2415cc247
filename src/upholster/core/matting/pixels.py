"""A small network's word on the coverage of single pixels, along edges and in thin parts.

The subject's colours are known in cells of several pixels; strands, rods and the rims of clothes are finer. Blocks of
two by two pixels are looked at where coverage is neither clear nor solid all around, and nowhere else. The network was
trained on drawn plates (`bench/learn`).
"""

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.core.colour import luma_weights
from upholster.core.grids import UpsampledGrid, area, read_colours, read_row, shrunk, upsampled
from upholster.core.kernels import compiled, over_rows
from upholster.core.matting.described import LEAST_STRENGTH, basis_of, departure, held
from upholster.core.places import BLOCK, SparseNetwork, row_starts
from upholster.core.raster import scale_of
from upholster.core.screen.metric import LUMA_WEIGHT

Plane = NDArray[np.float32]

#: What is told of a block.
TOLD = 37
#: Coverage up to which all around is clear, and from which all around is solid.
CLEAR, SOLID = 0.06, 0.94
#: Blocks on a side of the surroundings whose coverage is told, and of those whose solid and bare colours are.
_WIDE, _NEAR = 15, 7
#: What is summed up of each block: coverage, how much is half covered, and the colour and number of its solid pixels
#: and of its bare ones.
_SUMS = 10
#: Least share of the surroundings whose colour counts.
_FEW = np.float32(0.004)
#: Brightness of the subject over the screen, in steps of the screen's colour, that tells coverage.
_TELLING = np.float32(0.05)
#: By how much coverage is lowered at most, from which on it is lowered less, and from which on by half as much.
_LOWERED, _HOLDS = 0.15, (0.9, 0.98)
NETWORK = SparseNetwork("upholster.core.matting", "pixels.npz")


def corrected(plate: Plane, cover: Plane, screen: UpsampledGrid, subject: UpsampledGrid, noise: float) -> Plane:
    """Coverage 0..1 of every pixel, as the network corrects it.

    Parameters
    ----------
    plate : (3, h, w) float32
        Encoded RGB.
    cover : (h, w) float32
        The raw matte.
    screen, subject : UpsampledGrid
        The clean plate, and the subject's colours, laid over the plate.
    noise : float
        Standard deviation of the grain on the screen.
    """
    size = coarseness(cover)
    if size == 1:
        return _corrected(plate, cover, screen, subject, noise)
    height, width = (max(1, side // size) for side in cover.shape)
    screen, subject = (shrunk(grid, width, height) for grid in (screen, subject))
    small = area(cover[None], width, height)[0]
    away = _corrected(area(plate, width, height), small, screen, subject, noise) - small
    out = np.empty_like(cover)
    over_rows(_add, len(cover), cover, upsampled(away[None], cover.shape[1], cover.shape[0]), out)
    return out


def coarseness(cover: Plane) -> int:
    """Of how many pixels on a side what the networks of single pixels take for one is the mean.

    They learnt from pictures of the usual size.
    """
    return max(1, round(scale_of(*cover.shape)))


@compiled
def _add(cover, away, out, first, end):
    more = np.empty(cover.shape[1], np.float32)
    for j in range(first, end):
        read_row(away, 0, j, more)
        for i in range(cover.shape[1]):
            out[j, i] = min(max(cover[j, i] + more[i], np.float32(0)), np.float32(1))


def _corrected(plate: Plane, cover: Plane, screen: UpsampledGrid, subject: UpsampledGrid, noise: float) -> Plane:
    where, around = asked(plate, cover)
    if not where.any():
        return cover
    places = np.ascontiguousarray(cv2.findNonZero(where).reshape(-1, 2)[:, ::-1])
    out = cover.copy()
    given = NETWORK.answer(told(plate, cover, screen, subject, places, around, noise), places)
    over_rows(_hear, len(places), places, given, out)
    return out


@compiled
def _hear(places, given, out, first, end):
    one, zero, half = np.float32(1), np.float32(0), np.float32(0.5)
    lowest, low, rate = np.float32(-_LOWERED), np.float32(_HOLDS[0]), np.float32(1 / (_HOLDS[1] - _HOLDS[0]))
    for n in range(first, end):
        for k in range(BLOCK * BLOCK):
            y, x = BLOCK * places[n, 0] + k // BLOCK, BLOCK * places[n, 1] + k % BLOCK
            if y < out.shape[0] and x < out.shape[1]:
                cover, more = out[y, x], given[n, k]
                if more < zero:
                    # A word in a colour near the screen's would be lowered to nothing.
                    more = max(more, lowest) * (one - half * min(max((cover - low) * rate, zero), one))
                out[y, x] = min(max(cover + more, zero), one)


def asked(plate: Plane, cover: Plane) -> tuple[NDArray[np.uint8], Plane]:
    """Which blocks the network is asked about, ``(rows, columns)`` 0 or 1, and what is told of surroundings.

    Returns
    -------
    where : (rows, columns) uint8
    around : (10, rows, columns) float32
        Means over the blocks around those that are asked about (elsewhere anything): coverage 0..1; how much is half
        covered, ``4 a (1 - a)``; the colour of solid pixels times their share, and that share; the same of bare ones.
    """
    rows, columns = (-(-side // BLOCK) for side in cover.shape)
    bounds, sums = np.empty((2, rows, columns), np.float32), np.empty((_SUMS, rows, columns), np.float32)
    over_rows(_summed_up, rows, plate, cover, *bounds, sums)
    where, _, _ = unsure(*bounds)
    left, top, wide, high = cv2.boundingRect(where)
    reach = _WIDE // 2
    part = np.s_[max(0, top - reach) : top + high + reach, max(0, left - reach) : left + wide + reach]
    for n, plane in enumerate(sums):
        side = _WIDE if n < 2 else _NEAR
        plane[part] = cv2.blur(plane[part], (side, side), borderType=cv2.BORDER_REPLICATE)
    return where, sums


def unsure(lowest: Plane, highest: Plane) -> tuple[NDArray[np.uint8], Plane, Plane]:
    """Which blocks are neither clear nor solid all around, 0 or 1, and the least and the most coverage there.

    Parameters
    ----------
    lowest, highest : (rows, columns) float32
        Coverage of the pixels of each block.
    """
    beside = np.ones((3, 3), np.uint8)
    least = cv2.erode(lowest, beside).astype(np.float32, copy=False)
    most = cv2.dilate(highest, beside).astype(np.float32, copy=False)
    return ((least < np.float32(SOLID)) & (most > np.float32(CLEAR))).view(np.uint8), least, most


@compiled
def _summed_up(plate, cover, least, most, sums, first, end):
    height, width = cover.shape
    one, zero, share = np.float32(1), np.float32(0), np.float32(1 / BLOCK**2)
    clear, solid = np.float32(CLEAR), np.float32(SOLID)
    # Pixels one below the other first, side by side: compiled code takes several at a time.
    low, high, column = np.empty(width, np.float32), np.empty(width, np.float32), np.empty((_SUMS, width), np.float32)
    for j in range(first, end):
        low[:], high[:], column[:] = one, zero, zero
        for down in range(BLOCK):
            y = min(BLOCK * j + down, height - 1)
            row, red, green, blue = cover[y], plate[0, y], plate[1, y], plate[2, y]
            for i in range(width):
                a, r, g, b = row[i], held(red[i]), held(green[i]), held(blue[i])
                inner, outer = share if a > solid else zero, share if a < clear else zero
                low[i], high[i] = min(low[i], a), max(high[i], a)
                column[0, i] += a * share
                column[1, i] += a * (one - a)
                column[2, i] += inner * r
                column[3, i] += inner * g
                column[4, i] += inner * b
                column[5, i] += inner
                column[6, i] += outer * r
                column[7, i] += outer * g
                column[8, i] += outer * b
                column[9, i] += outer
        whole = width // BLOCK
        for i in range(whole):
            least[j, i], most[j, i] = min(low[2 * i], low[2 * i + 1]), max(high[2 * i], high[2 * i + 1])
        for k in range(_SUMS):
            for i in range(whole):
                sums[k, j, i] = column[k, 2 * i] + column[k, 2 * i + 1]
        if whole < least.shape[1]:
            # The last pixels of an odd width count twice.
            least[j, whole], most[j, whole] = low[width - 1], high[width - 1]
            for k in range(_SUMS):
                sums[k, j, whole] = BLOCK * column[k, width - 1]


def told(
    plate: Plane,
    cover: Plane,
    screen: UpsampledGrid,
    subject: UpsampledGrid,
    places: NDArray[np.int32],
    around: Plane,
    noise: float,
) -> Plane:
    """What the network is told of each of ``(n, 2)`` `places`, which go row by row.

    Returns
    -------
    (n, TOLD) float32
        Departures from the screen are those of `described.basis`. Of the four pixels: 0 to 3 light, 4 to 7 grey, 12 to
        15 coverage as it is, 16 to 19 coverage by light alone, 20 to 23 how far along the way from what is bare nearby
        to what is solid nearby. Of the block: 8 its departure aside, 9 to 11 the subject's grey, aside and light, 24 to
        26 those of what is solid nearby, 27 to 29 of what is bare, 30 to 33 mean coverage around, how much is half
        covered, solid and bare there, 34 the screen's strength, 35 its luma, 36 the grain in its strength.
    """
    out = np.empty((len(places), TOLD), np.float32)
    rows, columns = around.shape[1:]
    starts = row_starts(places, rows)
    weights = np.array(luma_weights("bt709"), np.float32)
    over_rows(_tell, rows, plate, cover, screen, subject, places, starts, around, np.float32(noise), weights, out)
    return out


@compiled
def _tell(plate, cover, screen, subject, places, starts, around, noise, weights, out, first, end):
    height, width = cover.shape
    br, bg, bb = np.empty(width, np.float32), np.empty(width, np.float32), np.empty(width, np.float32)
    fr, fg, fb = np.empty(width, np.float32), np.empty(width, np.float32), np.empty(width, np.float32)
    by_light = np.float32(LUMA_WEIGHT**2)
    for j in range(first, end):
        if starts[j] == starts[j + 1]:
            continue
        read_colours(screen, BLOCK * j, br, bg, bb)
        read_colours(subject, BLOCK * j, fr, fg, fb)
        for n in range(starts[j], starts[j + 1]):
            i, cell = places[n, 1], out[n]
            x = BLOCK * i
            to, luma, strength = basis_of(br[x], bg[x], bb[x], weights)
            own = departure(to, fr[x] - br[x], fg[x] - bg[x], fb[x] - bb[x])
            cell[9], cell[10], cell[11] = own
            telling = own[2] / (own[2] * own[2] + _TELLING * _TELLING)
            solid, bare = own, (np.float32(0), np.float32(0), np.float32(0))
            if around[5, j, i] > _FEW:
                share = np.float32(1) / around[5, j, i]
                red, green, blue = around[2, j, i] * share, around[3, j, i] * share, around[4, j, i] * share
                solid = departure(to, red - br[x], green - bg[x], blue - bb[x])
            if around[9, j, i] > _FEW:
                share = np.float32(1) / around[9, j, i]
                red, green, blue = around[6, j, i] * share, around[7, j, i] * share, around[8, j, i] * share
                bare = departure(to, red - br[x], green - bg[x], blue - bb[x])
            way = solid[0] - bare[0], solid[1] - bare[1], solid[2] - bare[2]
            length = max(way[0] * way[0] + way[1] * way[1] + by_light * way[2] * way[2], np.float32(1e-2))
            beside = np.float32(0)
            for k in range(BLOCK * BLOCK):
                y, z = min(BLOCK * j + k // BLOCK, height - 1), min(x + k % BLOCK, width - 1)
                seen = departure(to, plate[0, y, z] - br[x], plate[1, y, z] - bg[x], plate[2, y, z] - bb[x])
                cell[k], cell[4 + k] = seen[2], seen[0]
                beside += seen[1]
                cell[12 + k] = cover[y, z]
                cell[16 + k] = min(max(seen[2] * telling, np.float32(-1)), np.float32(2))
                along = (seen[0] - bare[0]) * way[0] + (seen[1] - bare[1]) * way[1]
                along += by_light * (seen[2] - bare[2]) * way[2]
                cell[20 + k] = min(max(along / length, np.float32(-1)), np.float32(2))
            cell[8] = beside * np.float32(1 / BLOCK**2)
            cell[24], cell[25], cell[26] = solid
            cell[27], cell[28], cell[29] = bare
            cell[30], cell[31], cell[32], cell[33] = around[0, j, i], around[1, j, i], around[5, j, i], around[9, j, i]
            cell[34], cell[35] = strength, min(luma, np.float32(2))
            cell[36] = held(noise / max(strength, np.float32(LEAST_STRENGTH)))
