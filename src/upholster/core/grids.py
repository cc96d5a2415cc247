"""Coarse grids that stand for smooth pictures: filling them and reading them at any pixel."""

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.core.kernels import inlined

Plane = NDArray[np.float32]


class Lattice(NamedTuple):
    """Where each pixel of a row (or column) lies between two cells of a grid."""

    index: NDArray[np.int32]
    weight: NDArray[np.float32]

    @classmethod
    def of(cls, size: int, cells: int) -> "Lattice":
        """`cells` cells over `size` pixels; positions beyond the outer centres are held."""
        at = np.clip((np.arange(size) + 0.5) * cells / size - 0.5, 0, max(cells - 1, 0))
        index = np.minimum(np.floor(at).astype(np.int32), max(cells - 2, 0))
        return cls(index, (at - index).astype(np.float32))


@inlined
def grid_row(grid, channel, j, rows, row_weight, out):  # type: ignore[no-untyped-def]
    """Row `j` of the picture, still at the grid's own width, into `out`."""
    top = rows[j]
    low = min(top + 1, grid.shape[1] - 1)
    t = row_weight[j]
    for i in range(grid.shape[2]):
        out[i] = grid[channel, top, i] * (np.float32(1) - t) + grid[channel, low, i] * t


def area(picture: Plane, width: int, height: int) -> Plane:
    """Planar ``(n, h, w)`` picture averaged down to ``(n, height, width)``."""
    return np.stack([cv2.resize(p, (width, height), interpolation=cv2.INTER_AREA) for p in picture])


def enlarge(picture: Plane, width: int, height: int) -> Plane:
    """Planar ``(n, h, w)`` picture interpolated up to ``(n, height, width)``."""
    return np.stack([cv2.resize(p, (width, height), interpolation=cv2.INTER_LINEAR) for p in picture])


def spread(values: Plane, weight: Plane) -> Plane:
    """Fill a picture outward from where it is known.

    The push-pull interpolation of Gortler et al. 1996, "The Lumigraph" (section 3.4): weighted
    averages down a pyramid, then back up into whatever is not known well enough.

    Parameters
    ----------
    values : (n, h, w) float32
    weight : (h, w) float32
        Confidence 0..1; zero where `values` says nothing.

    Returns
    -------
    (n, h, w) float32
        `values` where the weight is one, smooth in between. All zero where nothing is known.
    """
    height, width = weight.shape
    if height <= 1 and width <= 1:
        return np.where(weight > 0, values, np.float32(0))
    half = (max(1, (width + 1) // 2), max(1, (height + 1) // 2))
    mass = cv2.resize(weight, half, interpolation=cv2.INTER_AREA).reshape(half[1], half[0])
    summed = area(values * weight, *half)
    # A coarse cell is trusted as soon as a good part of it is known.
    coarse = spread(summed / np.maximum(mass, np.float32(1e-6)), np.minimum(mass * np.float32(4), np.float32(1)))
    return values * weight + enlarge(coarse, width, height) * (np.float32(1) - weight)
