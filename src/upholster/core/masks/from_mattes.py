"""Masks from grey mattes: their outlines found on every frame, and made into shapes that can be edited."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from itertools import pairwise
from typing import Any

import cv2
import numpy as np
from contourpy import contour_generator
from numpy.typing import NDArray

from upholster.core.documents.masks import Mask
from upholster.core.masks.course import MOST, Course
from upholster.core.masks.thinned import thinned

Plane = NDArray[np.float32]
Numbers = NDArray[np.float64]

#: Coverage along which a matte's outline runs.
_HALF = 0.5
#: Area in pixels from which a part is more than a speck, and most parts that are made into masks.
_SPECK, _PARTS = 6.0, 40
#: How much of each other's place two outlines share from which on they are the same part, a frame later.
_SAME = 0.2
#: How far an outline may be off by its corners, and between keyframes, in pixels.
_OFF, _STEADY = 0.25, 0.5
#: Fewest and most points of an outline, and how far apart they are on one that is round.
_FEWEST, _MOST, _APART = 8, 400, 6.0
#: How closely a line is looked at for where points went, in pixels, and how many times the mean of all gaps between
#: points may grow before they are spread anew.
_FINE, _WIDEST = 0.2, 5.0
#: Mean of coverage's distance from 0 or 1 across a soft edge, as a share of how far that is soft to either side: the
#: integral of the smoothstep's lower half, twice. Below the second, an edge is a hard one.
_RAMP, _HARD = 0.375, 1.25


@dataclass
class _Outline:
    """A closed line on a frame: its places ``(n, 2)``, its area, whether it goes around a hole, and how soft it is."""

    places: Numbers
    area: float
    hole: bool
    soft: float = 0.0

    @property
    def box(self) -> Numbers:
        return np.concatenate([self.places.min(axis=0), self.places.max(axis=0)])


@dataclass
class _Part:
    """One outline over time."""

    hole: bool
    by_frame: dict[int, _Outline] = field(default_factory=dict)

    @property
    def newest(self) -> _Outline:
        return self.by_frame[max(self.by_frame)]

    @property
    def area(self) -> float:
        return max(outline.area for outline in self.by_frame.values())


def from_mattes(mattes: Iterable[Plane], first: int = 0) -> list[Mask]:
    """Masks whose common coverage is that of grey mattes, one a frame.

    Parameters
    ----------
    mattes : of (h, w) float32
        Coverage 0..1 at the size of the plate, by rising frames.
    first : int
        The frame of the first.

    Returns
    -------
    list of Mask
        Parts first, then the holes in them, and so on, each larger before smaller.

    Raises
    ------
    ValueError
        With a sentence, where there is nothing in any of them, or too much.

    Notes
    -----
    Outlines run along coverage one half, between pixels (marching squares: Lorensen and Cline 1987, in the plane). An
    outline is taken for the same part from frame to frame where its place overlaps the most. A soft edge gives a
    feather: as wide as has the same sum of half-coverage along the outline.
    """
    parts: list[_Part] = []
    frame = first
    for frame, matte in enumerate(mattes, first):
        _assign(parts, frame, _outlines(matte))
    last = frame
    if not parts:
        raise ValueError("these mattes are black on every frame")
    if len(parts) > _PARTS:
        parts = sorted(parts, key=lambda part: -part.area)[:_PARTS]
    numbered = enumerate(sorted(parts, key=lambda part: (_depth(part, parts), -part.area)), 1)
    return [_mask(part, f"Matte {n}", first, last) for n, part in numbered]


def _outlines(matte: Plane) -> list[_Outline]:
    """The outlines of a frame, the largest first."""
    beyond = cv2.copyMakeBorder(matte, 1, 1, 1, 1, cv2.BORDER_CONSTANT, value=0)
    found = []
    for line in contour_generator(z=beyond).lines(_HALF):
        # The middle of the first pixel lies half a pixel from the corner.
        places = np.asarray(line, np.float64)[:-1] - 0.5
        if len(places) < 3:
            continue
        # Higher values lie to the left of a line: the other way around a hole.
        area = _area(places)
        if abs(area) >= _SPECK:
            found.append(_Outline(places, abs(area), area < 0))
    _tell_softness(matte, found)
    return sorted(found, key=lambda outline: -outline.area)


def _area(places: Numbers) -> float:
    x, y = places.T
    return float(0.5 * (x @ np.roll(y, -1) - y @ np.roll(x, -1)))


def _tell_softness(matte: Plane, outlines: list[_Outline]) -> None:
    """Note of each outline how far it is soft to either side."""
    if not outlines:
        return
    near = np.zeros(matte.shape, np.uint8)
    for outline in outlines:
        cv2.polylines(near, [np.floor(outline.places).astype(np.int32)], True, 1)
    _, owner = cv2.distanceTransformWithLabels(1 - near, cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL)
    half = np.minimum(matte, 1 - matte)
    sums = np.bincount(owner.ravel(), weights=half.ravel())
    for outline in outlines:
        columns, rows = np.clip(np.floor(outline.places).astype(int), 0, np.array(matte.shape[::-1]) - 1).T
        length = np.hypot(*np.diff(outline.places, axis=0, append=outline.places[:1]).T).sum()
        spread = sums[np.unique(owner[rows, columns])].sum() / length / _RAMP
        outline.soft = float(spread) if spread > _HARD else 0.0


def _assign(parts: list[_Part], frame: int, outlines: list[_Outline]) -> None:
    """Give each outline to the part it goes on with, or begin one with it."""
    free = [part for part in parts if frame - 1 in part.by_frame or frame - 2 in part.by_frame]
    for outline in outlines:
        shares = [_shared(outline.box, part.newest.box) if part.hole == outline.hole else 0.0 for part in free]
        best = int(np.argmax(shares)) if shares else -1
        if best >= 0 and shares[best] > _SAME:
            free.pop(best).by_frame[frame] = outline
        else:
            parts.append(_Part(outline.hole, {frame: outline}))


def _shared(one: Numbers, other: Numbers) -> float:
    """The common part of two boxes as a share of both together."""
    sides = np.minimum(one[2:], other[2:]) - np.maximum(one[:2], other[:2])
    common = float(np.prod(np.maximum(sides, 0)))
    whole = float(np.prod(one[2:] - one[:2]) + np.prod(other[2:] - other[:2])) - common
    return common / whole if whole > 0 else 0.0


def _depth(part: _Part, parts: list[_Part]) -> int:
    """Within how many other outlines a part lies: parts are added by even ones, holes taken away by odd ones."""
    frame, outline = next(iter(part.by_frame.items()))
    x, y = outline.places[0].tolist()
    around = (other.by_frame[frame].places for other in parts if other is not part and frame in other.by_frame)
    return sum(cv2.pointPolygonTest(places.astype(np.float32), (x, y), False) > 0 for places in around)


def _mask(part: _Part, name: str, first: int, last: int) -> Mask:
    corners = max(len(_corners(outline.places)) for outline in part.by_frame.values())
    around = max(_length(outline.places) for outline in part.by_frame.values())
    still = _stands(part)
    # One that stands needs its corners only; one that moves, places along the whole that can be told again.
    count = corners if still else int(min(max(_FEWEST, 2 * corners, around / _APART), _MOST))
    frames = range(first, last + 1)
    if count * len(frames) > MOST:
        raise ValueError(f"there is too much in them to be kept as shapes: at most {MOST} points")
    course = Course.read({"keys": list(_keys(part, count, frames, still))})
    course = thinned(course, _STEADY, _beside)
    if len(course.frames) == 2 and np.array_equal(course.points[0], course.points[1]):
        course = replace(course, frames=course.frames[:1], ways=course.ways[:1], points=course.points[:1])
    soft = float(np.median([outline.soft for outline in part.by_frame.values()]))
    return Mask(name=name, joins="take_away" if part.hole else "add", feather=round(soft, 1), course=course)


def _stands(part: _Part) -> bool:
    """Whether an outline is the same on each of its frames."""
    all_of_it = list(part.by_frame.values())
    return all(np.array_equal(one.places, other.places) for one, other in pairwise(all_of_it))


def _keys(part: _Part, count: int, frames: range, still: bool) -> Iterable[Mapping[str, Any]]:
    before: Numbers | None = None
    for frame in frames:
        outline = part.by_frame.get(frame)
        if outline is None:
            # Nothing of it is there: all of its points in one place.
            middle = part.newest.places.mean(axis=0) if before is None else before.mean(axis=0)
            places = np.tile(middle, (count, 1))
        elif still:
            places = before = _corners(outline.places)
        else:
            places = before = _told_again(outline.places, count, before)
        points = np.zeros((count, 8))
        points[:, :2] = places
        yield {"frame": frame, "next": "linear", "points": points.tolist()}


def _beside(shape: Numbers, line: Numbers) -> float:
    """How far the points of a shape are beside a line, at most: along it they may lie anywhere."""
    before, after = np.roll(line, 1, axis=0), np.roll(line, -1, axis=0)
    return float(np.minimum(_from_segments(shape, before, line), _from_segments(shape, line, after)).max())


def _from_segments(places: Numbers, start: Numbers, end: Numbers) -> Numbers:
    """Distances of places from straight lines between two others, one each."""
    way = end - start
    along = ((places - start) * way).sum(axis=1) / np.maximum((way * way).sum(axis=1), 1e-12)
    return np.hypot(*(places - start - np.clip(along, 0, 1)[:, None] * way).T)


def _corners(places: Numbers) -> Numbers:
    """As few of a line's places as it can be drawn by (Ramer 1972, Douglas and Peucker 1973)."""
    found = cv2.approxPolyDP(places.astype(np.float32)[:, None], _OFF, True)[:, 0].astype(np.float64)
    return found if len(found) >= 3 else places[:: max(1, len(places) // 3)][:3]


def _length(places: Numbers) -> float:
    return float(np.hypot(*np.diff(places, axis=0, append=places[:1]).T).sum())


def _told_again(places: Numbers, count: int, before: Numbers | None) -> Numbers:
    """So many places along a line, its corners among them: evenly, or each nearest to where it was a frame before."""
    closed = np.vstack([places, places[:1]])
    along = np.concatenate([[0], np.cumsum(np.hypot(*np.diff(closed, axis=0).T))])
    whole = along[-1]
    at = np.arange(count) * whole / count
    if before is not None:
        # Imported late: it takes long, and every command would wait for it.
        from scipy.spatial import cKDTree

        fine = np.arange(0, whole, _FINE)
        there = _on(closed, along, fine)
        _, nearest = cKDTree(there).query(before + there.mean(axis=0) - _on_evenly(before).mean(axis=0))
        # In their order around the line, whatever it did.
        steps = np.maximum((np.diff(fine[nearest]) + whole / 2) % whole - whole / 2, 0)
        followed = fine[nearest[0]] + np.concatenate([[0], np.cumsum(steps)])
        gaps = np.diff(followed, append=followed[0] + whole)
        at = followed if gaps.min() >= 0 and gaps.max() < _WIDEST * whole / count else at
    first = np.argmin(np.hypot(*(places[:, None] - _corners(places)[None]).transpose(2, 0, 1)), axis=0)
    for corner in along[first]:
        gap = (corner - at + whole / 2) % whole - whole / 2
        nearest_one = int(np.argmin(np.abs(gap)))
        at[nearest_one] += gap[nearest_one]
    return _on(closed, along, at)


def _on_evenly(places: Numbers) -> Numbers:
    """Places along a closed line as close as it is looked at."""
    closed = np.vstack([places, places[:1]])
    along = np.concatenate([[0], np.cumsum(np.hypot(*np.diff(closed, axis=0).T))])
    return _on(closed, along, np.arange(0, along[-1], _FINE))


def _on(closed: Numbers, along: Numbers, at: Numbers) -> Numbers:
    """The places so far along a closed line."""
    at = at % along[-1]
    return np.stack([np.interp(at, along, closed[:, k]) for k in range(2)], axis=1)
