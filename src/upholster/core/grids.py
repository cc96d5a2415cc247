"""Coarse grids that stand for smooth pictures: filling them and reading them at any pixel."""

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.core.kernels import compiled, inlined, over_rows

Plane = NDArray[np.float32]


class UpsampledGrid(NamedTuple):
    """A grid laid over a picture, ready to be read a picture row at a time.

    Attributes
    ----------
    rows : (n, grid rows, picture width) float32
        The grid, interpolated across already: few rows, so this is cheap, and what remains for
        each picture row is a blend of two of them.
    above : (picture height,) uint32
        The grid row above each picture row; unsigned, so compiled loops need no negative check.
    weight : (picture height,) float32
        How far each picture row lies towards the grid row below.
    """

    rows: Plane
    above: NDArray[np.uint32]
    weight: Plane


def upsampled(cells: Plane, width: int, height: int) -> UpsampledGrid:
    """Cells ``(n, rows, columns)`` laid over a picture, bilinear; beyond the outer centres they are held."""
    return UpsampledGrid(enlarge(cells, width, cells.shape[1]), *_between(cells.shape[1], height))


def _between(rows: int, height: int) -> tuple[NDArray[np.uint32], Plane]:
    """The grid row above each of `height` picture rows, and how far it lies towards the next."""
    at = np.clip((np.arange(height) + 0.5) * rows / height - 0.5, 0, rows - 1)
    above = np.floor(at).astype(np.uint32)
    return above, (at - above).astype(np.float32)


def shrunk(grid: UpsampledGrid, width: int, height: int) -> UpsampledGrid:
    """The same grid over a smaller picture."""
    rows = grid.rows.shape[1]
    # It changes little from pixel to pixel: those in the middle stand for the others.
    return UpsampledGrid(enlarge(grid.rows, width, rows), *_between(rows, height))


@inlined
def read_row(grid, channel, j, out):
    """Row `j` of the picture an upsampled grid stands for."""
    above = grid.above[j]
    below = min(above + np.uint32(1), np.uint32(grid.rows.shape[1] - 1))
    upper, lower, t = grid.rows[channel, above], grid.rows[channel, below], grid.weight[j]
    for i in range(out.shape[0]):
        out[i] = upper[i] + (lower[i] - upper[i]) * t


@inlined
def read_colours(grid, j, red, green, blue):
    """Row `j` of the colours an upsampled grid stands for."""
    read_row(grid, 0, j, red)
    read_row(grid, 1, j, green)
    read_row(grid, 2, j, blue)


def window_of(cells: Plane, window: tuple[float, float, float, float]) -> Plane:
    """As many cells over a part of the picture: `window` is its left, top, right and bottom as shares 0..1."""
    left, top, right, bottom = window
    rows, columns = cells.shape[1:]
    x = (left + (np.arange(columns) + 0.5) * (right - left) / columns) * columns - 0.5
    y = (top + (np.arange(rows) + 0.5) * (bottom - top) / rows) * rows - 0.5
    across, down = np.meshgrid(x.astype(np.float32), y.astype(np.float32))
    return np.stack([cv2.remap(c, across, down, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE) for c in cells])


def area(picture: Plane, width: int, height: int) -> Plane:
    """Planar ``(n, h, w)`` picture averaged down to ``(n, height, width)``."""
    blocks = picture.shape[1] % height == 0 and picture.shape[2] % width == 0
    # OpenCV halves faster, but takes twice as long for larger blocks.
    if not blocks or picture[0].size <= 4 * height * width:
        return _each(picture, width, height, cv2.INTER_AREA)
    out = np.empty((picture.shape[0], height, width), np.float32)
    over_rows(_mean_of_blocks, height, picture, picture.shape[1] // height, picture.shape[2] // width, out)
    return out


@compiled
def _mean_of_blocks(picture, tall, wide, out, first, end):
    total = np.empty(picture.shape[2], np.float32)
    share = np.float32(1 / (tall * wide))
    for c in range(picture.shape[0]):
        for j in range(first, end):
            total[:] = picture[c, j * tall]
            for k in range(1, tall):
                row = picture[c, j * tall + k]
                for i in range(total.shape[0]):
                    total[i] += row[i]
            for i in range(out.shape[2]):
                mean = np.float32(0)
                for k in range(wide):
                    mean += total[i * wide + k]
                out[c, j, i] = mean * share


def enlarge(picture: Plane, width: int, height: int) -> Plane:
    """Planar ``(n, h, w)`` picture interpolated up to ``(n, height, width)``."""
    return _each(picture, width, height, cv2.INTER_LINEAR)


def _each(picture: Plane, width: int, height: int, how: int) -> Plane:
    out = np.empty((picture.shape[0], height, width), np.float32)
    for plane, target in zip(picture, out, strict=True):
        # A target of another type would be left as it is.
        cv2.resize(np.asarray(plane, np.float32), (width, height), dst=target, interpolation=how)
    return out


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
    coarse = area(values * weight, *half)
    # A coarse cell is trusted as soon as a good part of it is known.
    coarse /= np.maximum(mass, np.float32(1e-6))
    out = enlarge(spread(coarse, np.minimum(mass * np.float32(4), np.float32(1))), width, height)
    over_rows(_where_known, height, values, weight, out)
    return out


@compiled
def _where_known(values, weight, out, first, end):
    for c in range(out.shape[0]):
        for j in range(first, end):
            for i in range(out.shape[2]):
                out[c, j, i] += (values[c, j, i] - out[c, j, i]) * weight[j, i]
