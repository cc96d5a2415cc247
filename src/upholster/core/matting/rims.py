"""A small network's word on the subject's colours along its edges, pixel by pixel.

Where the screen was taken out of a pixel, what is left is only as true as its coverage, its chroma (which video keeps
for every other pixel) and the rule by which the screen's light was taken away. Like that of coverage (`pixels`) it is
asked along edges and in thin parts alone, and was trained on drawn plates (`bench/learn`). It brings no pixel nearer to
the screen's hue but where the subject nearby is near it, and no nearer than that: green between strands of hair is what
nobody wants to see.
"""

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.core.colour import luma_weights
from upholster.core.grids import UpsampledGrid, area, read_colours
from upholster.core.kernels import compiled, over_rows
from upholster.core.matting.described import LEAST_STRENGTH, basis_of, colour_of, departure
from upholster.core.matting.pixels import coarseness, unsure
from upholster.core.places import BLOCK, SparseNetwork, row_starts

Plane = NDArray[np.float32]
Places = NDArray[np.int32]

#: What is told of a block.
TOLD = 31
#: How much of what it says of light is heard: where coverage is wrong, the true light does not look best.
_LIGHT = 0.5
#: Coverage between which a block is half covered; blocks on a side of what is around one; and the share of them from
#: which on it is heard less, and no more: in a veil or a blur it has nothing to go by.
_HALF, _AROUND, _MUCH = (0.1, 0.8), 15, (0.2, 0.5)
#: How far a subject's colour departs from the screen's towards grey at most, for its edge to be taken nearer to it.
_NEAR = 0.8
_WEIGHTS = np.array(luma_weights("bt709"), np.float32)
NETWORK = SparseNetwork("upholster.core.matting", "rims.npz")


def corrected(
    rgb: Plane,
    plate: Plane,
    cover: Plane,
    screen: UpsampledGrid,
    subject: UpsampledGrid,
    noise: float,
    amount: float,
    bounds: tuple[float, float],
) -> None:
    """Correct the subject's straight colours along its edges, in place.

    Parameters
    ----------
    rgb : (3, h, w) float32
        The subject's straight colours, the screen and its light taken out.
    plate : (3, h, w) float32
        Encoded RGB.
    cover : (h, w) float32
        Coverage as it was in front of the camera.
    screen, subject : UpsampledGrid
        The clean plate, and the subject's colours carried outward, laid over the plate.
    noise : float
        Standard deviation of the grain on the screen.
    amount : float
        How much of the correction is made, 0..1.
    bounds : of 2 float
        The least and the largest value of the picture.
    """
    size = coarseness(cover)
    where, heard = asked(cover, size)
    if not where.any():
        return
    places = np.ascontiguousarray(cv2.findNonZero(where).reshape(-1, 2)[:, ::-1])
    known = told(rgb, plate, cover, screen, subject, places, size, noise)
    given = NETWORK.answer(known, places)
    low, high = np.float32(bounds[0]), np.float32(bounds[1])
    starts, amounts = row_starts(places, len(where)), heard * np.float32(amount)
    over_rows(_add, len(where), known, given, places, starts, amounts, screen, _WEIGHTS, size, low, high, rgb)


def asked(cover: Plane, size: int) -> tuple[NDArray[np.uint8], Plane]:
    """Which blocks of two by two pixels of `size` the network is asked about, and how far it is heard there.

    Returns
    -------
    where : (rows, columns) uint8
        0 or 1.
    heard : (rows, columns) float32
        0..1.
    """
    side = BLOCK * size
    rows, columns = (-(-length // side) for length in cover.shape)
    below, right = rows * side - cover.shape[0], columns * side - cover.shape[1]
    whole = cv2.copyMakeBorder(cover, 0, below, 0, right, cv2.BORDER_REPLICATE) if below or right else cover
    mean = area(whole[None], columns, rows)[0]
    where, least, most = unsure(mean, mean)
    half = ((least > np.float32(_HALF[0])) & (most < np.float32(_HALF[1]))).astype(np.float32)
    share = cv2.blur(half, (_AROUND, _AROUND))
    return where, np.clip((_MUCH[1] - share) / np.float32(_MUCH[1] - _MUCH[0]), 0, 1)


def told(
    rgb: Plane,
    plate: Plane,
    cover: Plane,
    screen: UpsampledGrid,
    subject: UpsampledGrid,
    places: Places,
    size: int,
    noise: float,
) -> Plane:
    """What the network is told of each of ``(n, 2)`` `places`, which go row by row.

    Returns
    -------
    (n, TOLD) float32
        Departures from the screen are those of `described.basis`. Of the four pixels: 0 to 3 the subject's colour
        towards grey, 4 to 7 aside, 8 to 11 its light, 12 to 15 coverage, 16 to 19 the plate's colour towards grey, 20
        to 23 its light. Of the block: 24 the plate's colour aside, 25 to 27 the subject's colour nearby towards grey,
        aside and light, 28 the screen's strength, 29 its luma, 30 the grain in its strength.
    """
    out = np.empty((len(places), TOLD), np.float32)
    rows = -(-len(cover) // (BLOCK * size))
    starts = row_starts(places, rows)
    over_rows(_tell, rows, rgb, plate, cover, screen, subject, places, starts, size, np.float32(noise), _WEIGHTS, out)
    return out


@compiled
def _tell(rgb, plate, cover, screen, subject, places, starts, size, noise, weights, out, first, end):
    height, width = cover.shape
    nothing, share = np.float32(0), np.float32(1 / (size * size))
    br, bg, bb = np.empty(width, np.float32), np.empty(width, np.float32), np.empty(width, np.float32)
    fr, fg, fb = np.empty(width, np.float32), np.empty(width, np.float32), np.empty(width, np.float32)
    for j in range(first, end):
        if starts[j] == starts[j + 1]:
            continue
        read_colours(screen, BLOCK * size * j, br, bg, bb)
        read_colours(subject, BLOCK * size * j, fr, fg, fb)
        for n in range(starts[j], starts[j + 1]):
            cell, left = out[n], BLOCK * size * places[n, 1]
            red, green, blue = br[left], bg[left], bb[left]
            to, luma, strength = basis_of(red, green, blue, weights)
            aside = np.float32(0)
            for k in range(BLOCK * BLOCK):
                top, start = size * (BLOCK * j + k // BLOCK), left + size * (k % BLOCK)
                r, g, b, pr, pg, pb, covered = nothing, nothing, nothing, nothing, nothing, nothing, nothing
                for down in range(size):
                    # Beyond the picture its last pixels stand for others.
                    y = min(top + down, height - 1)
                    for across in range(size):
                        x = min(start + across, width - 1)
                        r, g, b = r + rgb[0, y, x], g + rgb[1, y, x], b + rgb[2, y, x]
                        pr, pg, pb = pr + plate[0, y, x], pg + plate[1, y, x], pb + plate[2, y, x]
                        covered += cover[y, x]
                own = departure(to, r * share - red, g * share - green, b * share - blue)
                seen = departure(to, pr * share - red, pg * share - green, pb * share - blue)
                cell[k], cell[4 + k], cell[8 + k] = own
                cell[12 + k], cell[16 + k], cell[20 + k] = covered * share, seen[0], seen[2]
                aside += seen[1]
            cell[24] = aside * np.float32(1 / BLOCK**2)
            cell[25], cell[26], cell[27] = departure(to, fr[left] - red, fg[left] - green, fb[left] - blue)
            cell[28], cell[29] = strength, min(luma, np.float32(2))
            cell[30] = min(noise / max(strength, np.float32(LEAST_STRENGTH)), np.float32(1))


@compiled
def _add(known, given, places, starts, amounts, screen, weights, size, low, high, rgb, first, end):
    height, width, nothing = rgb.shape[1], rgb.shape[2], np.float32(0)
    br, bg, bb = np.empty(width, np.float32), np.empty(width, np.float32), np.empty(width, np.float32)
    for j in range(first, end):
        if starts[j] == starts[j + 1]:
            continue
        read_colours(screen, BLOCK * size * j, br, bg, bb)
        for n in range(starts[j], starts[j + 1]):
            left, amount, near = BLOCK * size * places[n, 1], amounts[j, places[n, 1]], known[n, 25]
            for k in range(BLOCK * BLOCK):
                # Towards the screen's hue only as far as the subject nearby, and where that is near it.
                least = min(near - known[n, k], nothing) if near < np.float32(_NEAR) else nothing
                grey = amount * max(given[n, k], least)
                aside, light = amount * given[n, 4 + k], amount * given[n, 8 + k]
                more = colour_of(br[left], bg[left], bb[left], weights, grey, aside, np.float32(_LIGHT) * light)
                top, first_column = size * (BLOCK * j + k // BLOCK), left + size * (k % BLOCK)
                for y in range(top, min(top + size, height)):
                    for x in range(first_column, min(first_column + size, width)):
                        rgb[0, y, x] = min(max(rgb[0, y, x] + more[0], low), high)
                        rgb[1, y, x] = min(max(rgb[1, y, x] + more[1], low), high)
                        rgb[2, y, x] = min(max(rgb[2, y, x] + more[2], low), high)
