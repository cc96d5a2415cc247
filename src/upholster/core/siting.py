"""Where chroma lies between the columns of luma, measured: most files leave it unsaid, and programs do either."""

from collections.abc import Sequence
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

Plane = NDArray[np.float32]

#: Places of the first chroma sample that are tried, in luma samples, and the taps that bring luma there: where they
#: begin, and their weights, which all blur alike (variance 1/2), so that no place is liked for its softness.
_ASIDE, _ON = (1 / 16, 7 / 16, 7 / 16, 1 / 16), (1 / 4, 1 / 2, 1 / 4)
_TRIED = ((-0.5, -2, _ASIDE), (0.0, -1, _ON), (0.5, -1, _ASIDE), (1.0, 0, _ON))
#: Chroma samples over which it follows luma by one line, across and down; the least variance of it there that counts,
#: in 8-bit steps squared, and the share of it that the line has to explain.
_OVER, _LEAST, _EXPLAINED = (7, 3), 40.0, 0.97
#: Variance that is rounding's and the codec's.
_ROUNDING = 0.3
#: Fewest places that tell anything, and from where on chroma lies in the middle. A quarter would be half way; of 251
#: files sited at the left two were found at .31 and .33, and left is what the standard presumes.
_FEWEST, _MIDDLE = 2500, 0.36
#: Most rows and columns that are looked at, in the middle of the picture.
_MOST = (1080, 1920)


class Residuals(NamedTuple):
    """What luma does not explain of chroma, for each place where it may lie.

    Attributes
    ----------
    total : (4,) float64
        Logarithms of the variance that is left, summed.
    places : int
        Over so many pixels.
    """

    total: NDArray[np.float64]
    places: int


def residuals(luma: Plane, blue: Plane, red: Plane) -> Residuals:
    """How well chroma of half as many columns follows luma, for each place where it may lie.

    Parameters
    ----------
    luma : (h, w) float32
        In 8-bit steps, as both chroma planes.
    blue, red : (h or h / 2, w / 2) float32
        Rounded up where sides are odd.

    Notes
    -----
    Within a few samples of an edge between two colours chroma is a line of luma (as the prediction of chroma from luma
    of video codecs has it: Trudeau, Egge and Barr 2018), and most nearly so where luma is taken at chroma's own place.
    """
    high, wide = blue.shape
    rows = 2 if luma.shape[0] > high else 1
    most_high, most_wide = _MOST[0] // rows, _MOST[1] // 2
    top, left = max(0, (high - most_high) // 2), max(0, (wide - most_wide) // 2)
    part = np.s_[top : top + most_high, left : left + most_wide]
    # Rows and columns that odd sides lack are repeated.
    lines = np.arange(rows * top, rows * min(high, top + most_high)).clip(max=luma.shape[0] - 1)
    along = np.arange(2 * left, 2 * min(wide, left + most_wide)).clip(max=luma.shape[1] - 1)
    seen = luma[lines][:, along]
    if rows == 2:
        seen = (seen[::2] + seen[1::2]) / 2
    columns = seen.shape[1] // 2
    padded = np.pad(seen, ((0, 0), (2, 3)), mode="edge")
    there = []
    for _, begin, taps in _TRIED:
        parts = [padded[:, 2 + begin + k :: 2][:, :columns] * np.float32(tap) for k, tap in enumerate(taps)]
        there.append(np.asarray(np.sum(parts, axis=0), np.float32))
    total, places = np.zeros(len(_TRIED)), 0
    for chroma in (np.ascontiguousarray(blue[part]), np.ascontiguousarray(red[part])):
        varies = _covariance(chroma, chroma)
        left_over = np.array([varies - _explained(chroma, one) for one in there], np.float32)
        telling = (varies > _LEAST) & (left_over.min(axis=0) < (1 - _EXPLAINED) * varies)
        total += np.log(np.maximum(left_over[:, telling], 0) + _ROUNDING).sum(axis=1, dtype=np.float64)
        places += int(telling.sum())
    return Residuals(total, places)


def is_centred(found: Sequence[Residuals]) -> bool:
    """Whether chroma lies in the middle between two columns; False where it lies at the left, or nothing tells."""
    places = sum(one.places for one in found)
    if places < _FEWEST:
        return False
    total = np.sum([one.total for one in found], axis=0)
    at = min(max(int(np.argmin(total)), 1), len(_TRIED) - 2)
    before, here, after = total[at - 1 : at + 2]
    bend = before - 2 * here + after
    # The lowest point of a parabola through the least and its neighbours, which lie half a sample apart.
    return bool(bend > 0 and _TRIED[at][0] + 0.25 * (before - after) / bend > _MIDDLE)


def _explained(chroma: Plane, luma: Plane) -> Plane:
    """The part of its variance that is a line of luma's."""
    together = _covariance(chroma, luma)
    return np.asarray(together * together / (_covariance(luma, luma) + np.float32(1e-3)))


def _covariance(one: Plane, two: Plane) -> Plane:
    return np.asarray(cv2.blur(one * two, _OVER) - cv2.blur(one, _OVER) * cv2.blur(two, _OVER))
