"""Which share of every pixel an outline covers: exact areas, and soft edges by distance."""

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from upholster.core.kernels import clamped, compiled, over_rows
from upholster.core.masks.outline import Outline, outlines
from upholster.core.raster import Raster

Plane = NDArray[np.float32]
Numbers = NDArray[np.float64]

#: A corner that turns by more than this, in radians, is round on its outer side.
_SHARP = 0.35
#: How far from the outline distances are known beyond its feather, in pixels.
_BESIDE = 1.0
#: Columns looked at together.
_BLOCK = 16


class Patch(NamedTuple):
    """Coverage where there is any: `plane` with its upper left pixel at (`top`, `left`), and nothing elsewhere."""

    top: int
    left: int
    plane: Plane

    def over(self, height: int, width: int) -> Plane:
        """The whole plane."""
        whole = np.zeros((height, width), np.float32)
        whole[self.slices] = self.plane
        return whole

    @property
    def slices(self) -> tuple[slice, slice]:
        height, width = self.plane.shape
        return slice(self.top, self.top + height), slice(self.left, self.left + width)


def coverage(points: Numbers, raster: Raster, *, feather: float = 0.0, spread: float = 0.0) -> Patch:
    """Coverage 0..1 of a closed shape, by the non-zero rule where it crosses itself.

    Parameters
    ----------
    points : (points, 8) float64
        As `Course.at` gives them, in pixels of the plate.
    raster : Raster
        The picture to cover; not turned.
    feather, spread : float
        How far the edge is soft to either side, beyond what its points say, and how far it is moved out (in where
        it is less than 0), in pixels of the plate.

    Notes
    -----
    Without a feather the area of each pixel that lies inside is exact but for the flattening of curves: signed
    areas to the right of every side, summed along rows (the accumulation buffer of scan converters; Catmull 1978, "A
    hidden-surface algorithm with anti-aliasing", for exact areas). With one, coverage falls by the smoothstep of the
    distance to the nearest place of the outline, from its feather inward to its feather outward.
    """
    fine, coarse, beyond = outlines(points, raster, feather=feather, spread=spread)
    reach = max(0.0, fine.feathers.max(initial=0.0) + beyond) + _BESIDE if fine.soft else 0.0
    box = _box(fine, reach, raster)
    if box is None:
        return Patch(0, 0, np.zeros((0, 0), np.float32))
    left, top, right, bottom = box
    plane = _areas(fine, box)
    if fine.soft:
        plane = _softened(coarse, plane, left, top, beyond)
    return Patch(top, left, plane)


def _box(lines: Outline, reach: float, raster: Raster) -> tuple[int, int, int, int] | None:
    """Left, top, right and bottom of the pixels an outline can cover, within the picture."""
    if not len(lines.places):
        return None
    low, high = lines.places.min(axis=0) - reach, lines.places.max(axis=0) + reach
    left, top = max(0, math.floor(low[0])), max(0, math.floor(low[1]))
    right, bottom = min(raster.width, math.ceil(high[0])), min(raster.height, math.ceil(high[1]))
    return (left, top, right, bottom) if left < right and top < bottom else None


def _areas(lines: Outline, box: tuple[int, int, int, int]) -> Plane:
    left, top, right, bottom = box
    first, second = lines.edges()
    places = lines.places - (left, top)
    out = np.empty((bottom - top, right - left), np.float32)
    over_rows(_area_rows, bottom - top, places, first, second, out)
    return out


@compiled
def _area_rows(places, first, second, out, first_row, end_row):
    width = out.shape[1]
    # Areas begin at a pixel and go on to the right of it.
    sums = np.zeros((end_row - first_row, width + 2), np.float32)
    # Blocks of columns that any side passes; all others are of one coverage.
    passed = np.zeros((end_row - first_row, (width + 2) // _BLOCK + 1), np.bool_)
    for k in range(len(first)):
        x0, y0 = places[first[k]]
        x1, y1 = places[second[k]]
        if y0 == y1:
            continue
        sign = 1.0
        if y0 > y1:
            x0, y0, x1, y1, sign = x1, y1, x0, y0, -1.0
        if y1 <= first_row or y0 >= end_row:
            continue
        slope = (x1 - x0) / (y1 - y0)
        if y0 < first_row:
            x0, y0 = x0 + (first_row - y0) * slope, float(first_row)
        if y1 > end_row:
            x1, y1 = x0 + (end_row - y0) * slope, float(end_row)
        row = int(y0)
        x = x0
        y = y0
        while y < y1 and row < end_row:
            down = min(y1, row + 1.0)
            across = x0 + (down - y0) * slope
            _add(sums[row - first_row], passed[row - first_row], x, across, sign * (down - y), width)
            x, y = across, down
            row += 1
    for row in range(first_row, end_row):
        total = np.float32(0.0)
        for block in range((width - 1) // _BLOCK + 1):
            start, end = block * _BLOCK, min((block + 1) * _BLOCK, width)
            if passed[row - first_row, block]:
                for column in range(start, end):
                    total += sums[row - first_row, column]
                    out[row, column] = min(abs(total), np.float32(1.0))
            else:
                inside = min(abs(total), np.float32(1.0))
                for column in range(start, end):
                    out[row, column] = inside


@compiled
def _add(sums, passed, x0, x1, height, width):
    """Add the area to the right of a line from x0 to x1 that goes `height` down within one row."""
    if x0 > x1:
        x0, x1 = x1, x0
    if x0 >= width:
        return
    for block in range(max(0, int(x0)) // _BLOCK, (min(max(0, int(x1)), width) + 1) // _BLOCK + 1):
        passed[block] = True
    if x1 <= 0.0:
        sums[0] += height
        return
    run = x1 - x0
    if run > 0.0:
        if x0 < 0.0:
            part = height * (-x0 / run)
            sums[0] += part
            height -= part
            x0 = 0.0
        if x1 > width:
            height -= height * ((x1 - width) / (x1 - x0))
            x1 = float(width)
        run = x1 - x0
    column = int(x0)
    if x1 <= column + 1.0:
        share = 0.5 * (x0 + x1) - column
        sums[column] += height * (1.0 - share)
        sums[column + 1] += height * share
        return
    x = x0
    while x < x1:
        edge = min(column + 1.0, x1)
        part = height * ((edge - x) / run)
        share = 0.5 * (x + edge) - column
        sums[column] += part * (1.0 - share)
        sums[column + 1] += part * share
        x = edge
        column += 1


def _softened(lines: Outline, areas: Plane, left: int, top: int, beyond: float) -> Plane:
    first, second = lines.edges()
    places = lines.places - (left, top)
    ways = places[second] - places[first]
    turns = np.zeros(len(places))
    # The turn at the corner where each side ends.
    before = np.empty(len(places), np.int64)
    before[second] = first
    came = places - places[before]
    turns[:] = np.abs(
        np.arctan2(came[:, 0] * ways[:, 1] - came[:, 1] * ways[:, 0], came[:, 0] * ways[:, 0] + came[:, 1] * ways[:, 1])
    )
    out = np.empty_like(areas)
    over_rows(_soften_rows, areas.shape[0], places, lines.feathers, second, turns, beyond, areas, out)
    return out


@compiled
def _soften_rows(places, feathers, second, turns, beyond, areas, out, first_row, end_row):
    rows, width = end_row - first_row, areas.shape[1]
    # Square of the distance, and the feather inward and outward, of the nearest place; in blocks that any is near.
    nearest = np.empty((rows, width, 3), np.float32)
    passed = np.zeros((rows, width // _BLOCK + 1), np.bool_)
    out[first_row:end_row] = areas[first_row:end_row]
    for k in range(len(places)):
        n = second[k]
        ax, ay = places[k, 0], places[k, 1] - first_row
        bx, by = places[n, 0], places[n, 1] - first_row
        wide = max(feathers[k, 0], feathers[k, 1], feathers[n, 0], feathers[n, 1]) + abs(beyond) + 1.0
        if min(ay, by) - wide > rows or max(ay, by) + wide < 0.0:
            continue
        length = math.hypot(bx - ax, by - ay)
        if length == 0.0:
            continue
        ux, uy = (bx - ax) / length, (by - ay) / length
        turn = max(turns[k], turns[n])
        # Sides of a curve reach a little past their ends, so that no wedge between them is left out.
        past = wide if turn > _SHARP else wide * math.tan(turn / 2.0) + 1.0
        along, over = 1.0 / ux if abs(ux) > 1e-9 else 0.0, 1.0 / uy if abs(uy) > 1e-9 else 0.0
        corner_x, corner_y = abs(ux) * past + abs(uy) * wide, abs(uy) * past + abs(ux) * wide
        low, high = max(0, int(min(ay, by) - corner_y)), min(rows, int(max(ay, by) + corner_y) + 2)
        for row in range(low, high):
            # Where along this row the place beside the side, and the distance from it, lie within their bounds.
            dy = row + 0.5 - ay
            start, end = min(ax, bx) - corner_x, max(ax, bx) + corner_x
            if along != 0.0:
                one, two = ax + (-past - dy * uy) * along, ax + (length + past - dy * uy) * along
                start, end = max(start, min(one, two)), min(end, max(one, two))
            if over != 0.0:
                one, two = ax + (dy * ux - wide) * over, ax + (dy * ux + wide) * over
                start, end = max(start, min(one, two)), min(end, max(one, two))
            if end < 0.0 or start > width:
                continue
            first, last = max(0, int(start - 0.5)), min(width, int(end + 0.5) + 1)
            for block in range(first // _BLOCK, (last - 1) // _BLOCK + 1):
                if not passed[row, block]:
                    passed[row, block] = True
                    nearest[row, block * _BLOCK : (block + 1) * _BLOCK, 0] = np.inf
            for column in range(first, last):
                dx = column + 0.5 - ax
                t = min(max(dx * ux + dy * uy, 0.0), length)
                far = np.float32((dx - t * ux) ** 2 + (dy - t * uy) ** 2)
                if far < nearest[row, column, 0]:
                    share = t / length
                    nearest[row, column, 0] = far
                    nearest[row, column, 1] = feathers[k, 0] + share * (feathers[n, 0] - feathers[k, 0])
                    nearest[row, column, 2] = feathers[k, 1] + share * (feathers[n, 1] - feathers[k, 1])
    for row in range(rows):
        for block in range((width - 1) // _BLOCK + 1):
            if not passed[row, block]:
                continue
            for column in range(block * _BLOCK, min((block + 1) * _BLOCK, width)):
                far, inward, outward = nearest[row, column]
                whole = inward + outward
                if far == np.inf or whole == 0.0:
                    continue
                area = areas[first_row + row, column]
                distance = -math.sqrt(far) if area >= 0.5 else math.sqrt(far)
                ramp = clamped((outward + beyond - distance) / whole, 1.0)
                # An edge that is not softer than a pixel is one of areas.
                out[first_row + row, column] += clamped(whole, 1.0) * (ramp * ramp * (3.0 - 2.0 * ramp) - area)
