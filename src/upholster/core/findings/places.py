"""Places of a frame where something is wrong, from a plane that says how wrong each pixel is."""

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.core.findings.seen import Codes, square

Numbers = NDArray[np.int32]

#: Parts are told apart on a grid this much coarser than the picture.
_COARSE = 4
#: Most places of one kind that are told of on a frame, the worst first.
_MOST = 12
#: Sides of the small mask of a place.
GRID = 8
#: Error over all pixels of a place, squared and summed, of which nothing is seen, and at which it is at its worst.
_FAINT, _WORST = 0.4, 4000.0


#: Left, top, right and bottom, as shares 0..1 of a picture.
Box = tuple[float, float, float, float]


class Place(NamedTuple):
    """Somewhere on a frame where something is wrong.

    Attributes
    ----------
    box : Box
    mask : of int
        Which of the 8 by 8 parts of the box are hurt: a row of bits for each.
    severity : float
        How much of it is seen over the worst ground, 0..1.
    amount : float
        The measure itself, in the unit of its kind, on average.
    width : float
        How wide it is at its widest, in pixels of a picture 960 wide or high.
    """

    box: Box
    mask: tuple[int, ...]
    severity: float
    amount: float
    width: float


def severity(error: float) -> float:
    """How much is seen of an error, summed over its pixels as squares 0..1.

    By its logarithm, as sizes and contrasts are told apart by their ratio (Weber's law).
    """
    share = np.log(max(error, 1e-9) / _FAINT) / np.log(_WORST / _FAINT)
    return float(np.clip(share, 0.0, 1.0))


def places(error: Codes, *, floor: float, peak: float, least: float, unit: float, near: float = 6.0) -> list[Place]:
    """The places where an error is at least `floor`, and on a quarter of `least` at least `peak`; the worst first.

    Two thresholds, as in Canny 1986, "A computational approach to edge detection": the higher one says that something
    is wrong, the lower one how far it goes.

    Parameters
    ----------
    error : (h, w) uint8
        How wrong each pixel is, as a code for 0..1.
    least : float
        Smallest area that counts, in pixels of a picture 960 wide or high.
    unit : float
        Pixels of this plane for each of such a one.
    near : float
        Parts that lie as near as this belong together.
    """
    hurt = np.where(error >= max(1, round(floor * 255)), np.uint8(255), np.uint8(0))
    if cv2.countNonZero(hurt) < least * unit**2:
        return []
    count, labels = cv2.connectedComponents(_together(hurt, near * unit), connectivity=8)
    x, y = cv2.findNonZero(hurt).reshape(-1, 2).T
    flat, values = labels[y // _COARSE, x // _COARSE], error[y, x] / 255.0
    area, sums, squares = (np.bincount(flat, w, count) / unit**2 for w in (None, values, values**2))
    high = np.bincount(flat[values >= peak], minlength=count) / unit**2
    told = (k for k in range(1, count) if area[k] >= least and high[k] >= least / 4 and squares[k] >= _FAINT)
    found = sorted(told, key=lambda k: -squares[k])[:_MOST]
    out = []
    for k in found:
        own = flat == k
        box, mask, width = _shape(x[own], y[own], error.shape)
        out.append(Place(box, mask, severity(float(squares[k])), float(sums[k] / area[k]), width / unit))
    return out


def _together(hurt: Codes, near: float) -> Codes:
    """A coarse grid of what is hurt, grown by half of `near` pixels, so that what lies near is one."""
    height, width = (-(-side // _COARSE) for side in hurt.shape)
    framed = cv2.copyMakeBorder(
        hurt, 0, height * _COARSE - hurt.shape[0], 0, width * _COARSE - hurt.shape[1], cv2.BORDER_CONSTANT, value=0
    )
    coarse = cv2.resize(framed, (width, height), interpolation=cv2.INTER_AREA)
    # An area of which one pixel of sixteen is hurt has a mean of 16.
    return cv2.dilate((coarse > 0).view(np.uint8), square(near / _COARSE)).astype(np.uint8, copy=False)


def _shape(x: Numbers, y: Numbers, shape: tuple[int, ...]) -> tuple[Box, tuple[int, ...], float]:
    """The box of pixels as shares of the picture, a small mask of them, and how wide they are together."""
    left, top = int(x.min()), int(y.min())
    part = np.zeros((int(y.max()) - top + 1, int(x.max()) - left + 1), np.uint8)
    part[y - top, x - left] = 1
    inside = cv2.distanceTransform(np.pad(part, 1), cv2.DIST_L2, 3)
    box = left / shape[1], top / shape[0], (left + part.shape[1]) / shape[1], (top + part.shape[0]) / shape[0]
    return box, _bits(part), float(2 * inside.max() - 1)


def _bits(part: Codes) -> tuple[int, ...]:
    """Which parts of an 8 by 8 grid over a mask hold anything of it."""
    # At least as many pixels as there are parts, so that each pixel stands for all parts it lies over.
    fine = cv2.resize(part, (max(GRID, part.shape[1]), max(GRID, part.shape[0])), interpolation=cv2.INTER_NEAREST)
    y, x = np.nonzero(fine)
    grid = np.zeros((GRID, GRID), bool)
    grid[y * GRID // fine.shape[0], x * GRID // fine.shape[1]] = True
    return tuple(int(sum(1 << k for k in range(GRID) if row[k])) for row in grid)
