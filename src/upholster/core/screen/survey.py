"""A survey of a shot: what every part of the picture looks like on some of its frames.

The survey is taken once, while the footage is read for the first time. It is all that proposing
a screen and measuring a clean plate need, so neither has to decode again.
"""

import math
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.core.grids import area
from upholster.core.kernels import compiled, inlined, over_rows

Plane = NDArray[np.float32]

#: Cells along the longer side of the picture, and finer ones.
CELLS, FINE = 160, 640
#: How far apart two frames of the same thing are at most, and the least share of frames on which what is still is seen.
_SAME, _MANY = 0.03, 0.1
#: How many things that come one after the other in the same place are told apart.
_KINDS = 6
#: How many fine cells tell of a frame's light, across and down, and how much brighter or darker it may be.
_SOME, _RANGE = 60, (0.5, 2.0)
#: Frames surveyed of a shot, spread over its length.
FRAMES = 24


class Survey(NamedTuple):
    """Means and deviations in cells of the picture.

    Attributes
    ----------
    frames : (n,) int
    mean, deviation : (n, 3, rows, columns) float32
        Of the encoded RGB within each cell.
    still : (2, 3, n, m) float16
        What keeps its place, in finer cells: encoded RGB as on most frames, and as on most of the others; no number
        where nothing does.
    width, height : int
        Of the plate in pixels.
    """

    frames: NDArray[np.int64]
    mean: Plane
    deviation: Plane
    still: NDArray[np.float16]
    width: int
    height: int


class Surveyed(NamedTuple):
    """One frame, in cells and in finer ones: see `Survey`."""

    mean: Plane
    deviation: Plane
    fine: NDArray[np.float16]


def frames_to_survey(length: int) -> list[int]:
    """Up to `FRAMES` frame numbers, first and last among them."""
    return sorted(set(np.linspace(0, max(length - 1, 0), min(length, FRAMES)).round().astype(int).tolist()))


def survey(plates: dict[int, Plane]) -> Survey:
    """Survey plates ``(3, h, w)``, given by frame number, all of one size."""
    height, width = next(iter(plates.values())).shape[1:]
    return taken_together({number: surveyed(plate) for number, plate in plates.items()}, width, height)


def surveyed(plate: Plane) -> Surveyed:
    """What a survey takes of one plate ``(3, h, w)``."""
    columns, rows = _grid(plate, CELLS)
    # Second differences see noise and detail, not the slope of the light across a cell.
    kernel = np.array([[1, -2, 1], [-2, 4, -2], [1, -2, 1]], np.float32) / 6
    rough = np.stack([cv2.filter2D(plane, cv2.CV_32F, kernel, borderType=cv2.BORDER_REFLECT) for plane in plate])
    deviation = np.sqrt(area(rough * rough, columns, rows))
    return Surveyed(area(plate, columns, rows), deviation, area(plate, *_grid(plate, FINE)).astype(np.float16))


def taken_together(frames: dict[int, Surveyed], width: int, height: int) -> Survey:
    """The survey of a shot whose plates are so many pixels wide and high, of frames by their number."""
    mean, deviation, fine = (np.stack(planes) for planes in zip(*frames.values(), strict=True))
    return Survey(np.array(list(frames), np.int64), mean, deviation, _still(fine), width, height)


def _grid(plate: Plane, most: int) -> tuple[int, int]:
    """Columns and rows of square cells, so many along the longer side, or of pixels where there are fewer."""
    height, width = plate.shape[1:]
    size = max(1.0, max(height, width) / most)
    return max(1, round(width / size)), max(1, round(height / size))


def _still(fine: NDArray[np.float16]) -> NDArray[np.float16]:
    """What most frames ``(n, 3, rows, columns)``, brought to one light, have in common; and most of the others."""
    out = np.empty((2, *fine.shape[1:]), np.float32)
    least = max(min(2, len(fine)), math.ceil(_MANY * len(fine)))
    lit = fine.astype(np.float32) / _light(fine)[:, None, None, None]
    over_rows(_most_common, fine.shape[2], lit, least, np.float32(_SAME), out)
    return out.astype(np.float16)


@compiled
def _most_common(lit, least, same, out, first, end):
    """The mean of what a cell is like on most frames, and on most of the others.

    Frames are told apart one after the other, by the mean of those that were near before.
    """
    count, mean = np.empty(_KINDS, np.int64), np.empty((_KINDS, 3), np.float32)
    for j in range(first, end):
        for i in range(lit.shape[3]):
            count[:] = 0
            for n in range(lit.shape[0]):
                seen = lit[n, :, j, i]
                for k in range(_KINDS):
                    if count[k] == 0 or _near(seen, mean[k], same):
                        count[k] += 1
                        for c in range(3):
                            before = mean[k, c] if count[k] > 1 else seen[c]
                            mean[k, c] = before + (seen[c] - before) / np.float32(count[k])
                        break
            for which in range(out.shape[0]):
                k = int(np.argmax(count))
                for c in range(3):
                    out[which, c, j, i] = mean[k, c] if count[k] >= least else np.float32(np.nan)
                count[k] = 0


@inlined
def _near(one, other, same):
    return abs(one[0] - other[0]) < same and abs(one[1] - other[1]) < same and abs(one[2] - other[2]) < same


def _light(fine: NDArray[np.float16]) -> Plane:
    """How bright each frame is against what is usual, ``(n,)``."""
    some = (
        fine[:, :, :: max(1, fine.shape[2] // _SOME), :: max(1, fine.shape[3] // _SOME)].astype(np.float32).sum(axis=1)
    )
    usual = np.maximum(np.median(some, axis=0), np.float32(0.02))
    light = np.median((some / usual).reshape(len(fine), -1), axis=1)
    return np.asarray(np.clip(light, *_RANGE), np.float32)
