"""An outline on a picture: its curves as short straight lines, crossings resolved, moved in or out."""

from typing import NamedTuple

import numpy as np
import pyclipper
from numpy.typing import NDArray

from upholster.core.kernels import compiled
from upholster.core.raster import Raster

Numbers = NDArray[np.float64]

#: Steps of a pixel in which the library that resolves crossings counts.
_STEPS = 1024
#: How far a straight line may lie from its curve, in pixels: where areas are counted, where distances are, and where
#: it is only asked whether it crosses itself.
_FINE, _COARSE, _ROUGH = 0.004, 0.04, 0.2
#: Most straight lines a curve is cut into.
_MOST = 200


class Outline(NamedTuple):
    """Closed lines that part inside from outside; they do not cross.

    Attributes
    ----------
    places : (n, 2) float64
        Corners in pixels of a picture.
    feathers : (n, 2) float64
        How far the edge is soft in and out at each corner, in pixels of the picture.
    ends : of int
        Where each line ends among the corners.
    """

    places: Numbers
    feathers: Numbers
    ends: tuple[int, ...]

    def edges(self) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
        """Indices of the two corners of every side."""
        first = np.arange(len(self.places))
        second = first + 1
        start = 0
        for end in self.ends:
            second[end - 1] = start
            start = end
        return first, second

    @property
    def soft(self) -> bool:
        return bool(self.feathers.any())


class Outlines(NamedTuple):
    """One outline, close enough to its curves for areas and close enough for distances.

    Attributes
    ----------
    beyond : float
        How much further out the edge still lies than these, in pixels of the picture.
    """

    areas: Outline
    distances: Outline
    beyond: float = 0.0


def outlines(points: Numbers, raster: Raster, *, feather: float, spread: float) -> Outlines:
    """The outline of a closed shape's points on a picture.

    Parameters
    ----------
    points : (points, 8) float64
        As `Course.at` gives them, in pixels of the plate.
    feather, spread : float
        How far the edge is soft to either side of it, and how far it lies further out, in pixels of the plate.
    """
    placed = _placed(points, raster)
    placed[:, 6:] = np.maximum(placed[:, 6:] + feather, 0) * raster.length(1.0)
    soft = placed[:, 6:].sum(axis=1)
    around = soft.min() > 2
    coarse = _flattened(placed, max(_COARSE, 0.01 * float(soft.min())))
    # Where the edge is soft all around, areas only tell inside from outside.
    fine = coarse if around else _flattened(placed, _FINE)
    grown = raster.length(spread)
    # A soft edge is moved by distance, a sharp one has to be made anew.
    beyond = grown if around else 0.0
    if grown == beyond and not _crosses(coarse.places if around else _flattened(placed, _ROUGH).places):
        return Outlines(fine, coarse, beyond)
    return Outlines(_resolved(fine, grown - beyond), _resolved(coarse, grown - beyond), beyond)


def _placed(points: Numbers, raster: Raster) -> Numbers:
    """Points with their handles as places, all in pixels of the picture, ``(points, 8)``."""
    placed = points.copy()
    for first in (0, 2, 4):
        x, y = points[:, first], points[:, first + 1]
        if first:
            x, y = x + points[:, 0], y + points[:, 1]
        placed[:, first], placed[:, first + 1] = raster.place(x, y)
    return placed


def _flattened(points: Numbers, tolerance: float) -> Outline:
    """The lines along a closed curve.

    Notes
    -----
    The number of lines of a cubic is Wang's bound (Wang 1984, "The subdivision method for finding the intersection
    between two Bézier curves or surfaces"; from memory): none of them is further from the curve than `tolerance`.
    """
    after = np.roll(points, -1, axis=0)
    curve = np.stack([points[:, :2], points[:, 4:6], after[:, 2:4], after[:, :2]])
    bent = np.hypot(*np.moveaxis(np.diff(curve, 2, axis=0), -1, 0)).max(axis=0)
    counts = np.clip(np.ceil(np.sqrt(0.75 * bent / tolerance)), 1, _MOST).astype(np.int64)
    total = int(counts.sum())
    places, feathers = np.empty((total, 2)), np.empty((total, 2))
    _walk(curve, points[:, 6:], after[:, 6:], counts, places, feathers)
    return Outline(places, feathers, (total,))


@compiled
def _walk(curve, feather, next_feather, counts, places, feathers):
    n = 0
    for k in range(len(counts)):
        for step in range(counts[k]):
            t = step / counts[k]
            s = 1.0 - t
            a, b, c, d = s * s * s, 3.0 * s * s * t, 3.0 * s * t * t, t * t * t
            for axis in range(2):
                places[n, axis] = (
                    a * curve[0, k, axis] + b * curve[1, k, axis] + c * curve[2, k, axis] + d * curve[3, k, axis]
                )
                feathers[n, axis] = s * feather[k, axis] + t * next_feather[k, axis]
            n += 1


def _resolved(crossing: Outline, grown: float) -> Outline:
    """The border of what a line winds around at all (the non-zero rule), `grown` further out."""
    # What lies far outside the picture only has to stay there.
    path = np.rint(np.clip(crossing.places, -1e6, 1e6) * _STEPS).astype(np.int64).tolist()
    clipper = pyclipper.Pyclipper()
    try:
        clipper.AddPath(path, pyclipper.PT_SUBJECT, True)
        paths = clipper.Execute(pyclipper.CT_UNION, pyclipper.PFT_NONZERO, pyclipper.PFT_NONZERO)
        if grown:
            offset = pyclipper.PyclipperOffset(arc_tolerance=_COARSE * _STEPS)
            offset.AddPaths(paths, pyclipper.JT_ROUND, pyclipper.ET_CLOSEDPOLYGON)
            paths = offset.Execute(grown * _STEPS)
    except pyclipper.ClipperException:
        # Nothing that has an inside.
        paths = []
    if not paths:
        return Outline(np.zeros((0, 2)), np.zeros((0, 2)), ())
    places = np.concatenate([np.asarray(path, np.float64) for path in paths]) / _STEPS
    ends = tuple(int(end) for end in np.cumsum([len(path) for path in paths]))
    feathers = np.zeros_like(places)
    if crossing.soft:
        _nearest(crossing.places, crossing.feathers, places, feathers)
    return Outline(places, feathers, ends)


def _crosses(places: Numbers) -> bool:
    after = np.roll(places, -1, 0)
    low, high = np.minimum(places, after), np.maximum(places, after)
    return bool(_crossing(places, low, high, np.argsort(low[:, 1])))


@compiled
def _crossing(places, low, high, order):
    """Whether any two sides that are not neighbours cross or touch; sides in the `order` of their upper ends."""
    count = len(places)
    for m in range(count):
        i = order[m]
        ax, ay = places[i]
        bx, by = places[(i + 1) % count]
        for n in range(m + 1, count):
            j = order[n]
            if low[j, 1] > high[i, 1]:
                break
            if low[j, 0] > high[i, 0] or high[j, 0] < low[i, 0]:
                continue
            if (i + 1) % count == j or (j + 1) % count == i:
                continue
            cx, cy = places[j]
            dx, dy = places[(j + 1) % count]
            one = (bx - ax) * (cy - ay) - (by - ay) * (cx - ax)
            two = (bx - ax) * (dy - ay) - (by - ay) * (dx - ax)
            three = (dx - cx) * (ay - cy) - (dy - cy) * (ax - cx)
            four = (dx - cx) * (by - cy) - (dy - cy) * (bx - cx)
            if one * two <= 0.0 and three * four <= 0.0:
                return True
    return False


@compiled
def _nearest(corners, feathers, places, out):
    """The feathers at the places of an outline that lie nearest to others."""
    count = len(corners)
    for n in range(len(places)):
        x, y = places[n]
        best = np.inf
        for i in range(count):
            k = (i + 1) % count
            ax, ay = corners[i]
            ux, uy = corners[k, 0] - ax, corners[k, 1] - ay
            length = ux * ux + uy * uy
            t = ((x - ax) * ux + (y - ay) * uy) / length if length > 0.0 else 0.0
            t = min(max(t, 0.0), 1.0)
            far = (x - ax - t * ux) ** 2 + (y - ay - t * uy) ** 2
            if far < best:
                best = far
                out[n, 0] = feathers[i, 0] + t * (feathers[k, 0] - feathers[i, 0])
                out[n, 1] = feathers[i, 1] + t * (feathers[k, 1] - feathers[i, 1])
