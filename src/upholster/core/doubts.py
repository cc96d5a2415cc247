"""Where a keyed picture could be read in another way: what a person sees at once, and colours cannot tell."""

from collections.abc import Iterator
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.core.documents.screen import Of, Screen
from upholster.core.grids import area, resize, upsampled, window_of
from upholster.core.raster import Raster
from upholster.core.screen.metric import to_metric
from upholster.core.stages.matte.see_through import least_coverage

Plane = NDArray[np.float32]
Mask = NDArray[np.bool_]

#: Most places that are told of at a time, and the least part of the picture one takes.
MOST, LEAST = 9, 0.001
#: Coverage from which a thing is solid, and up to which there is none.
_SOLID, _CLEAR = 0.85, 0.04
#: How far, in cells, what is half covered lies from all ground (else it is an edge), and haze from all that is solid.
_WITHIN, _WITHOUT = 4, 8
#: Share of the screen's own colour in glass, and how even its colour is from cell to cell.
_TINTED, _LEVEL = (0.15, 0.85), 0.04
#: How much more than the least coverage that explains it something solid has.
_ROOM = 0.3
#: Difference of a primary up to which a colour is one that was marked.
_SAME = 0.1
_AROUND = np.ones((3, 3), np.uint8)


class Doubt(NamedTuple):
    """A place that could be something else.

    Attributes
    ----------
    of : str
        What it could be: ground, subject or a veil.
    x, y, radius : float
        A square well inside of it, whose colours are its own; pixels of the plate.
    box : of float
        Left, top, right and bottom of all of it; pixels of the plate.
    """

    of: Of
    x: float
    y: float
    radius: float
    box: tuple[float, float, float, float]


def doubts(
    cells: Plane, clean: Plane, cover: Plane, screen: Screen, raster: Raster, patches: Mask | None = None
) -> list[Doubt]:
    """What could be something else in a picture, the largest first.

    Parameters
    ----------
    cells, clean : (3, rows, columns) float32
        The plate averaged down, and the clean plate as a grid of any size.
    cover : (h, w) float32
        Coverage as it was in front of the camera.
    raster : Raster
        Where the picture lies on its plate, upright.
    patches : bool or None
        Where the clean plate has another cloth of its own, over the whole plate as a grid of any size.
    """
    rows, columns = cells.shape[1:]
    covered, there = area(cover[None], columns, rows)[0], resize(clean, columns, rows)
    seen = to_metric(cells)
    said = _said(cells, screen)
    grid = raster.resized(columns, rows)
    could_be: dict[Of, Mask] = {
        "veil": _tinted(cells, seen, there, covered) | _patched(patches, grid) & (covered <= _CLEAR),
        "subject": _half_inside(covered),
        "ground": _haze(covered),
    }
    found = [_doubt(of, place, grid) for of, where in could_be.items() for place in _places(where & ~said)]
    return sorted(found, key=_size, reverse=True)[:MOST]


def _said(cells: Plane, screen: Screen) -> Mask:
    """Where a cell has a colour that was marked, whatever as: nobody is asked twice."""
    found = np.zeros(cells.shape[1:], bool)
    for colour in screen.marked(["ground", "subject", "veil"]):
        found |= np.abs(cells - np.array(colour, np.float32)[:, None, None]).max(axis=0) < _SAME
    return found


def _tinted(cells: Plane, seen: Plane, there: Plane, covered: Plane) -> Mask:
    """What is solid and even, has some of the screen's colour in it, and could be explained by far less coverage."""
    nominal = to_metric(there)[1:]
    share = (seen[1:] * nominal).sum(axis=0) / np.maximum((nominal * nominal).sum(axis=0), np.float32(0.02**2))
    steps = [cv2.dilate(plane, _AROUND) - cv2.erode(plane, _AROUND) for plane in seen]
    even = sum(step * step for step in steps) < _LEVEL**2
    least = least_coverage(cells, upsampled(there, cells.shape[2], cells.shape[1]))
    tinted = (share > _TINTED[0]) & (share < _TINTED[1])
    return (covered > _SOLID) & even & tinted & (covered - least > _ROOM)


def _patched(patches: Mask | None, grid: Raster) -> Mask:
    """Patches of the clean plate over a picture: tinted glass looks no different."""
    if patches is None:
        return np.zeros((grid.height, grid.width), bool)
    return resize(window_of(patches[None].astype(np.float32), grid.window), grid.width, grid.height)[0] > 0.5


def _half_inside(covered: Plane) -> Mask:
    """What is half covered, too far from all ground to be an edge, and has something solid on all four sides."""
    ground = (covered > _CLEAR).astype(np.uint8)
    far = cv2.distanceTransform(ground, cv2.DIST_L2, 3) > _WITHIN
    return far & (covered < _SOLID) & (covered > _CLEAR) & _amid(covered > _SOLID)


def _amid(solid: Mask) -> Mask:
    """Where there is something solid to the left, to the right, above and below."""
    found = np.ones(solid.shape, bool)
    for turns in range(4):
        seen = np.logical_or.accumulate(np.rot90(solid, turns), axis=0)
        found &= np.rot90(seen, -turns)
    return found


def _haze(covered: Plane) -> Mask:
    """What is a little covered, and too far from all that is solid to be an edge."""
    solid = (covered < _SOLID).astype(np.uint8)
    return (cv2.distanceTransform(solid, cv2.DIST_L2, 3) > _WITHOUT) & (covered < 0.5) & (covered > _CLEAR)


def _places(where: Mask) -> Iterator[Mask]:
    """The parts of it that are large enough to be asked about."""
    opened = cv2.morphologyEx(where.astype(np.uint8), cv2.MORPH_OPEN, _AROUND)
    count, labels, sizes, _ = cv2.connectedComponentsWithStats(opened, connectivity=8)
    for k in range(1, count):
        if sizes[k, cv2.CC_STAT_AREA] >= LEAST * where.size:
            yield labels == k


def _doubt(of: Of, place: Mask, grid: Raster) -> Doubt:
    deep = cv2.distanceTransform(np.pad(place, 1).astype(np.uint8), cv2.DIST_L2, 5)[1:-1, 1:-1]
    row, column = np.unravel_index(int(np.argmax(deep)), deep.shape)
    x, y = grid.on_plate(float(column) + 0.5, float(row) + 0.5)
    down, across = np.nonzero(place)
    left, top = (round(v, 1) for v in grid.on_plate(float(across.min()), float(down.min())))
    right, bottom = (round(v, 1) for v in grid.on_plate(float(across.max() + 1), float(down.max() + 1)))
    # A square within a circle.
    radius = max(0.5, 0.7 * float(deep[row, column])) / grid.length(1.0)
    return Doubt(of, round(x, 1), round(y, 1), round(radius, 1), (left, top, right, bottom))


def _size(doubt: Doubt) -> float:
    left, top, right, bottom = doubt.box
    return (right - left) * (bottom - top)
