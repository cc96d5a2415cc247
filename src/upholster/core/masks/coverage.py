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
#: Rows worked on together: what is kept of them stays near the processor.
_STRIP = 16


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
        _soften_edge(coarse, plane, left, top, beyond)
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
    sums = np.empty((_STRIP, width + 2), np.float32)
    # Blocks of columns that any side passes; all others are of one coverage.
    passed = np.empty((_STRIP, (width + 2) // _BLOCK + 1), np.bool_)
    for top in range(first_row, end_row, _STRIP):
        strip = out[top : min(top + _STRIP, end_row)]
        sums[:], passed[:] = 0.0, False
        _gather(places, first, second, top, len(strip), sums, passed)
        _add_up(sums, passed, strip)


@compiled
def _gather(places, first, second, top, rows, sums, passed):
    """The areas to the right of all sides, where they begin, in some rows from `top` on."""
    width = sums.shape[1] - 2
    for k in range(len(first)):
        x0, y0 = places[first[k], 0], places[first[k], 1] - top
        x1, y1 = places[second[k], 0], places[second[k], 1] - top
        if y0 == y1:
            continue
        sign = 1.0
        if y0 > y1:
            x0, y0, x1, y1, sign = x1, y1, x0, y0, -1.0
        if y1 <= 0.0 or y0 >= rows:
            continue
        slope = (x1 - x0) / (y1 - y0)
        if y0 < 0.0:
            x0, y0 = x0 - y0 * slope, 0.0
        y1 = min(y1, float(rows))
        row = int(y0)
        x = x0
        y = y0
        while y < y1 and row < rows:
            down = min(y1, row + 1.0)
            across = x0 + (down - y0) * slope
            _add(sums[row], passed[row], x, across, sign * (down - y), width)
            x, y = across, down
            row += 1


@compiled
def _add_up(sums, passed, out):
    rows, width = out.shape
    for row in range(rows):
        total = np.float32(0.0)
        for block in range((width - 1) // _BLOCK + 1):
            start, end = block * _BLOCK, min((block + 1) * _BLOCK, width)
            if passed[row, block]:
                for column in range(start, end):
                    total += sums[row, column]
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


def _soften_edge(lines: Outline, plane: Plane, left: int, top: int, beyond: float) -> None:
    """Make the edge of a plane of areas soft, in place."""
    first, second = lines.edges()
    places = lines.places - (left, top)
    ways = places[second] - places[first]
    # The turn at every corner, between the side that ends there and the one that begins.
    came = np.empty_like(ways)
    came[second] = ways[first]
    across, on = came[:, 0] * ways[:, 1] - came[:, 1] * ways[:, 0], (came * ways).sum(axis=1)
    turns = np.abs(np.arctan2(across, on))
    over_rows(_soften_rows, plane.shape[0], places, lines.feathers, second, turns, beyond, plane)


@compiled
def _soften_rows(places, feathers, second, turns, beyond, plane, first_row, end_row):
    width = plane.shape[1]
    # Square of the distance, and the feather inward and outward, of the nearest place; in blocks that any is near.
    nearest = np.empty((3, _STRIP, width), np.float32)
    passed = np.empty((_STRIP, width // _BLOCK + 1), np.bool_)
    for top in range(first_row, end_row, _STRIP):
        strip = plane[top : min(top + _STRIP, end_row)]
        passed[:] = False
        _measure(places, feathers, second, turns, abs(beyond) + 1.0, top, nearest[:, : len(strip)], passed)
        _soften(nearest, passed, beyond, strip)


@compiled
def _measure(places, feathers, second, turns, beside, top, nearest, passed):
    """What lies nearest to the pixels of some rows from `top` on, as far as feathers reach and a little beside."""
    rows, width = nearest.shape[1:]
    for k in range(len(places)):
        n = second[k]
        ax, ay = places[k, 0], places[k, 1] - top
        bx, by = places[n, 0], places[n, 1] - top
        wide = max(feathers[k, 0], feathers[k, 1], feathers[n, 0], feathers[n, 1]) + beside
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
                    nearest[0, row, block * _BLOCK : (block + 1) * _BLOCK] = np.inf
            if first < last:
                side = (first + 0.5 - ax, dy, ux, uy, length)
                _compare(side, feathers[k], feathers[n], nearest[:, row, first:last])


@compiled
def _compare(side, before, after, nearest):
    """Take a side for the nearest, in a part of a row, where it is; without branches, so that many go at once."""
    dx, dy, ux, uy, length = (
        np.float32(side[0]),
        np.float32(side[1]),
        np.float32(side[2]),
        np.float32(side[3]),
        np.float32(side[4]),
    )
    inward, in_more = np.float32(before[0]), np.float32((after[0] - before[0]) / side[4])
    outward, out_more = np.float32(before[1]), np.float32((after[1] - before[1]) / side[4])
    known, ins, outs = nearest
    for column in range(known.size):
        x = dx + np.float32(column)
        t = min(max(x * ux + dy * uy, np.float32(0.0)), length)
        off_x, off_y = x - t * ux, dy - t * uy
        far = off_x * off_x + off_y * off_y
        nearer = far < known[column]
        known[column] = far if nearer else known[column]
        ins[column] = inward + t * in_more if nearer else ins[column]
        outs[column] = outward + t * out_more if nearer else outs[column]


@compiled
def _soften(nearest, passed, beyond, plane):
    """Put the ramp of the distances in the place of areas."""
    rows, width = plane.shape
    for row in range(rows):
        for block in range((width - 1) // _BLOCK + 1):
            if not passed[row, block]:
                continue
            for column in range(block * _BLOCK, min((block + 1) * _BLOCK, width)):
                far, inward, outward = nearest[0, row, column], nearest[1, row, column], nearest[2, row, column]
                whole = inward + outward
                if far == np.inf or whole == 0.0:
                    continue
                area = plane[row, column]
                distance = -math.sqrt(far) if area >= 0.5 else math.sqrt(far)
                ramp = clamped((outward + beyond - distance) / whole, 1.0)
                # An edge that is not softer than a pixel is one of areas.
                plane[row, column] = area + clamped(whole, 1.0) * (ramp * ramp * (3.0 - 2.0 * ramp) - area)
