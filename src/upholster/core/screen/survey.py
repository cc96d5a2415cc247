"""A survey of a shot: what every part of the picture looks like on some of its frames.

The survey is taken once, while the footage is read for the first time. It is all that proposing
a screen and measuring a clean plate need, so neither has to decode again.
"""

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.core.grids import area

Plane = NDArray[np.float32]

#: Cells along the longer side of the picture.
CELLS = 160
#: Frames surveyed of a shot, spread over its length.
FRAMES = 24


class Survey(NamedTuple):
    """Means and deviations in cells of the picture.

    Attributes
    ----------
    frames : (n,) int
    mean, deviation : (n, 3, rows, columns) float32
        Of the encoded RGB within each cell.
    width, height : int
        Of the plate in pixels.
    """

    frames: NDArray[np.int64]
    mean: Plane
    deviation: Plane
    width: int
    height: int


def frames_to_survey(length: int) -> list[int]:
    """Up to `FRAMES` frame numbers, first and last among them."""
    return sorted(set(np.linspace(0, max(length - 1, 0), min(length, FRAMES)).round().astype(int).tolist()))


def survey(plates: dict[int, Plane]) -> Survey:
    """Survey plates ``(3, h, w)``, given by frame number, all of one size."""
    cells = [_cells(plate) for plate in plates.values()]
    height, width = next(iter(plates.values())).shape[1:]
    return Survey(
        np.array(list(plates), np.int64),
        np.stack([mean for mean, _ in cells]),
        np.stack([deviation for _, deviation in cells]),
        width,
        height,
    )


def _cells(plate: Plane) -> tuple[Plane, Plane]:
    height, width = plate.shape[1:]
    size = max(1.0, max(height, width) / CELLS)
    columns, rows = max(1, round(width / size)), max(1, round(height / size))
    mean = area(plate, columns, rows)
    # Second differences see noise and detail, not the slope of the light across a cell.
    kernel = np.array([[1, -2, 1], [-2, 4, -2], [1, -2, 1]], np.float32) / 6
    rough = np.stack([cv2.filter2D(plane, cv2.CV_32F, kernel, borderType=cv2.BORDER_REFLECT) for plane in plate])
    return mean, np.sqrt(area(rough * rough, columns, rows))
