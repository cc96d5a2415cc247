"""How far strokes reach: on ways over what has their colours."""

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.core.kernels import compiled, over_rows
from upholster.core.trace.geometry import Mask
from upholster.core.trace.seen import Bytes

Plane = NDArray[np.float32]

#: How far a pixel's colour is from a stroke's at which a way over it is twice as long, in steps of L*a*b* as 8 bits.
_UNLIKE = 8.0
#: How fine colours of strokes are told apart, and how many of them are looked at.
_STEP, _COLOURS = 4, 48
#: Share of a pixel of half the size that a stroke covers from which it lies under it.
_UNDER = 0.2


def reached(lab: Bytes, strokes: Mask, most: float) -> Plane:
    """The length of the shortest way from a stroke to each pixel, ``(h, w)`` float32; inf where it is over `most`.

    Lengths are in pixels where the picture has the very colours of the strokes. A way over others is longer by the
    square of how far they are from those: so all of a wall is near to a dot on it, and nothing of what stands before
    it.

    Parameters
    ----------
    lab : (h, w, 3) uint8
    strokes : (h, w) bool

    Notes
    -----
    A geodesic distance by raster scans (Toivanen 1996, "New geodesic distance transforms for gray-scale images"), as
    strokes have been spread by before (Bai and Sapiro 2007, "A geodesic framework for fast interactive image and video
    segmentation and matting"); at half the size.
    """
    half = max(1, lab.shape[1] // 2), max(1, lab.shape[0] // 2)
    under = cv2.resize(strokes.astype(np.float32), half, interpolation=cv2.INTER_AREA) > _UNDER
    if not under.any():
        return np.full(strokes.shape, np.float32(np.inf))
    small = cv2.resize(lab, half, interpolation=cv2.INTER_AREA).astype(np.float32)
    ways = shortest(1 + _unlike(small, under) / np.float32(_UNLIKE**2), under, most / 2)
    return 2 * cv2.resize(ways, lab.shape[1::-1], interpolation=cv2.INTER_NEAREST)


def _unlike(lab: Plane, under: Mask) -> Plane:
    """Least squared distance of each pixel's colour from those under strokes."""
    own = np.unique(np.rint(lab[under] / _STEP), axis=0).astype(np.float32) * _STEP
    far = np.empty(lab.shape[:2], np.float32)
    over_rows(_unlike_rows, len(lab), lab, own[:: -(-len(own) // _COLOURS)].copy(), far)
    return far


@compiled
def _unlike_rows(lab, own, far, first_row, end_row):
    for row in range(first_row, end_row):
        for column in range(lab.shape[1]):
            least = np.float32(1e9)
            for k in range(len(own)):
                light, a = lab[row, column, 0] - own[k, 0], lab[row, column, 1] - own[k, 1]
                b = lab[row, column, 2] - own[k, 2]
                least = min(least, light * light + a * a + b * b)
            far[row, column] = least


def shortest(costs: Plane, starts: Mask, most: float) -> Plane:
    """The length of the shortest way from `starts` to each pixel, ``(h, w)`` float32; inf where it is over `most`.

    A step between neighbours is as long as their costs, ``(h, w)`` float32 above 0, are on average; across a corner,
    the square root of two times that.
    """
    out = np.where(starts, np.float32(0), np.float32(np.inf))
    _scan(out, np.ascontiguousarray(costs, np.float32), np.float32(most))
    return out


@compiled
def _scan(out, costs, most):
    height, width = out.shape
    straight, aslant = np.float32(0.5), np.float32(0.70710678)
    changed = True
    while changed:
        changed = False
        for way in range(2):
            forth = way == 0
            for r in range(height):
                row = r if forth else height - 1 - r
                before = row - 1 if forth else row + 1
                for c in range(width):
                    column = c if forth else width - 1 - c
                    beside = column - 1 if forth else column + 1
                    here, cost = out[row, column], costs[row, column]
                    best = here
                    if beside >= 0 and beside < width:
                        best = min(best, out[row, beside] + straight * (cost + costs[row, beside]))
                    if before >= 0 and before < height:
                        best = min(best, out[before, column] + straight * (cost + costs[before, column]))
                        if column > 0:
                            best = min(best, out[before, column - 1] + aslant * (cost + costs[before, column - 1]))
                        if column < width - 1:
                            best = min(best, out[before, column + 1] + aslant * (cost + costs[before, column + 1]))
                    if best < here and best <= most:
                        out[row, column] = best
                        changed = True
