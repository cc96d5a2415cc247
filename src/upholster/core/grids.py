"""Coarse grids that stand for smooth pictures: filling them and reading them at any pixel."""

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.core.kernels import inlined

Plane = NDArray[np.float32]


class Laid(NamedTuple):
    """A grid laid over a picture: its cells, and where each pixel lies between their centres.

    The indices are unsigned, so the compiled loops need no check for negative ones.
    """

    cells: Plane
    across: NDArray[np.uint32]
    across_weight: Plane
    down: NDArray[np.uint32]
    down_weight: Plane


def lay(cells: Plane, width: int, height: int) -> Laid:
    """Lay ``(n, rows, columns)`` cells over a picture; beyond the outer centres they are held."""
    return Laid(cells, *_between(width, cells.shape[2]), *_between(height, cells.shape[1]))


def _between(size: int, cells: int) -> tuple[NDArray[np.uint32], Plane]:
    at = np.clip((np.arange(size) + 0.5) * cells / size - 0.5, 0, max(cells - 1, 0))
    cell = np.floor(at).astype(np.uint32)
    return cell, (at - cell).astype(np.float32)


@inlined
def row_buffer(grid):
    """Room for `read_row`: a grid row and one cell more, and a picture row."""
    return np.empty(grid.cells.shape[2] + 1, np.float32), np.empty(grid.across.shape[0], np.float32)


@inlined
def read_row(grid, channel, j, narrow, wide):
    """Row `j` of the picture a grid stands for, into `wide`; first at the grid's width, then across."""
    one = np.float32(1)
    rows, columns = grid.cells.shape[1], grid.cells.shape[2]
    top = grid.down[j]
    low = min(top + np.uint32(1), np.uint32(rows - 1))
    t = grid.down_weight[j]
    for i in range(columns):
        narrow[i] = grid.cells[channel, top, i] * (one - t) + grid.cells[channel, low, i] * t
    narrow[columns] = narrow[columns - 1]
    for i in range(wide.shape[0]):
        cell = grid.across[i]
        u = grid.across_weight[i]
        wide[i] = narrow[cell] * (one - u) + narrow[cell + np.uint32(1)] * u


def area(picture: Plane, width: int, height: int) -> Plane:
    """Planar ``(n, h, w)`` picture averaged down to ``(n, height, width)``."""
    return np.stack([cv2.resize(p, (width, height), interpolation=cv2.INTER_AREA) for p in picture])


def enlarge(picture: Plane, width: int, height: int) -> Plane:
    """Planar ``(n, h, w)`` picture interpolated up to ``(n, height, width)``."""
    return np.stack([cv2.resize(p, (width, height), interpolation=cv2.INTER_LINEAR) for p in picture])


def resize(picture: Plane, width: int, height: int) -> Plane:
    """Planar picture at another size: averaged where smaller, interpolated where larger."""
    return area(picture, width, height) if width < picture.shape[2] else enlarge(picture, width, height)


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
