"""The grain of pictures: how strong and how coarse it is, and grain of that kind made anew."""

from functools import cache, lru_cache
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.core.grids import area

Plane = NDArray[np.float32]

#: Immerkaer 1996, "Fast Noise Variance Estimation": blind to what is flat or slants.
_BLIND = np.array([[1, -2, 1], [-2, 4, -2], [1, -2, 1]], np.float32)
#: Median of the absolute value of a normal variable of deviation 1.
_MEDIAN = 0.6745
#: The finest and the coarsest grain, in pixels, and the sides of the square of noise that is laid again and again.
FINEST, COARSEST, _TILE = 0.1, 5.0, 512
#: Share of the grain that is the same in all primaries.
_COMMON = 0.8


class Grain(NamedTuple):
    """Standard deviation in encoded values, and coarseness: the sigma of the blur that white noise went through."""

    strength: float
    size: float


def grain_of(rgb: Plane) -> Grain:
    """The grain of a picture ``(3, h, w)``, told from where nothing else changes.

    Notes
    -----
    The response to Immerkaer's mask at full and at half the size: how they relate tells how far grain reaches, since
    the autocorrelation of noise blurred by sigma is ``exp(-d^2 / 4 sigma^2)``. Medians, so that edges do not count.
    """
    height, width = rgb.shape[1:]
    if min(height, width) < 8:
        return Grain(0.0, 0.5)
    halves = area(np.ascontiguousarray(rgb[:, : height // 2 * 2, : width // 2 * 2]), width // 2, height // 2)
    full, half = (float(np.median([_response(plane) for plane in picture])) for picture in (rgb, halves))
    if full < 1e-5:
        return Grain(0.0, 0.5)
    sizes = np.linspace(FINEST, COARSEST, 99)
    ratios = np.array([_gain(size)[1] / _gain(size)[0] for size in sizes])
    size = float(sizes[np.argmin(np.abs(ratios - half / full))])
    return Grain(full / _gain(size)[0], size)


def _response(plane: Plane) -> float:
    return float(np.median(np.abs(cv2.filter2D(plane, cv2.CV_32F, _BLIND)[1:-1, 1:-1]))) / _MEDIAN


@cache
def _gain(size: float) -> tuple[float, float]:
    """Deviation of the response to noise of deviation 1, at full and at half the size."""
    spread = np.kron(_BLIND, np.full((2, 2), 0.25))
    return _deviation(_BLIND.astype(np.float64), size), _deviation(spread, size)


def _deviation(mask: NDArray[np.float64], size: float) -> float:
    rows, columns = np.indices(mask.shape).reshape(2, -1)
    apart = np.subtract.outer(rows, rows) ** 2 + np.subtract.outer(columns, columns) ** 2
    flat = mask.ravel()
    return float(np.sqrt(flat @ np.exp(-apart / (4 * size * size)) @ flat))


def made(height: int, width: int, size: float, seed: int) -> Plane:
    """Grain ``(3, height, width)`` of deviation 1 and that coarseness: the same seed, the same grain."""
    tile = _tile(round(size, 2))
    draw = np.random.default_rng(seed)
    top, left = draw.integers(_TILE, size=2)
    rows, columns = (top + np.arange(height)) % _TILE, (left + np.arange(width)) % _TILE
    if draw.integers(2):
        rows = rows[::-1]
    if draw.integers(2):
        columns = columns[::-1]
    return np.take(np.take(tile, rows, axis=1), columns, axis=2)


@lru_cache(maxsize=8)
def _tile(size: float) -> Plane:
    """Three squares of grain whose borders meet."""
    # Imported late: it takes long, and every command would wait for it.
    from scipy.ndimage import gaussian_filter

    noise = np.random.default_rng(0).standard_normal((4, _TILE, _TILE)).astype(np.float32)
    blurred = np.stack([gaussian_filter(plane, size, mode="wrap") for plane in noise])
    blurred /= blurred.std(axis=(1, 2), keepdims=True)
    own, common = np.float32(np.sqrt(1 - _COMMON)), np.float32(np.sqrt(_COMMON))
    return (own * blurred[:3] + common * blurred[3]).astype(np.float32)
