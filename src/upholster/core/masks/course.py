"""A drawn shape and its course: the places of its points at keyframes, and in between."""

import json
from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import cached_property
from hashlib import sha256
from typing import Any, ClassVar, Self, get_args

import numpy as np
from numpy.typing import NDArray

from upholster.core.documents.kept import Kept
from upholster.core.documents.tracks import LAST_FRAME, Way, interpolated

Numbers = NDArray[np.float64]

#: What a point is made of: its place, the handles before and after it as ways from there, and how much further its
#: feather reaches in and out than that of its mask.
PARTS = ("x", "y", "in_x", "in_y", "out_x", "out_y", "feather_in", "feather_out")
#: Most points of a shape, keyframes, and both together.
MOST_POINTS, MOST_KEYS, MOST = 2_000, 10_000, 400_000
#: How far from the plate's corner a point may lie, and how far a feather may reach, in pixels of the plate.
FARTHEST, WIDEST = 1e6, 2_000.0
#: From this likeness of two shapes on, a turn from one to the other is told from a change of form.
_LIKE = 0.5


@dataclass(frozen=True, eq=False, repr=False)
class Course(Kept):
    """Places of a shape's points over time, in pixels of the plate and frames of the footage.

    Attributes
    ----------
    closed : bool
        An open shape covers nothing.
    tied : (points,) bool
        Whether the two handles of a point move together.
    frames : of int
        Frames of the keyframes, rising.
    ways : of Way
        How each goes on to the next.
    points : (keys, points, 8) float64
        By `PARTS`.
    """

    called: ClassVar[str] = "an outline is"

    closed: bool
    tied: tuple[bool, ...]
    frames: tuple[int, ...]
    ways: tuple[Way, ...]
    points: Numbers

    @classmethod
    def read(cls, document: object) -> "Course":
        """A course from parsed JSON; one that is one already stays it.

        Raises
        ------
        ValueError
            With a sentence that says what is wrong.
        """
        if isinstance(document, Course):
            return document
        if not isinstance(document, dict) or not set(document) <= {"closed", "tied", "keys"}:
            raise ValueError("an outline has “closed”, “tied” and “keys”, and nothing else")
        keys = document.get("keys")
        if not isinstance(keys, list) or not 1 <= len(keys) <= MOST_KEYS:
            raise ValueError(f"an outline has 1 to {MOST_KEYS} keyframes")
        rows = [_key(key) for key in keys]
        count = len(rows[0][2])
        if any(len(row[2]) != count for row in rows):
            raise ValueError("an outline has the same number of points on every keyframe")
        if count * len(rows) > MOST:
            raise ValueError(f"an outline has at most {MOST} points on all its keyframes together")
        tied = document.get("tied", [True] * count)
        if not isinstance(tied, list) or len(tied) != count or not all(isinstance(each, bool) for each in tied):
            raise ValueError("“tied” is true or false for each point")
        closed = document.get("closed", True)
        if not isinstance(closed, bool):
            raise ValueError("“closed” is true or false")
        frames, ways, points = zip(*rows, strict=True)
        return cls(closed, tuple(tied), frames, ways, np.stack(points))._checked()

    def _checked(self) -> Self:
        if any(later <= sooner for sooner, later in zip(self.frames, self.frames[1:], strict=False)):
            raise ValueError("keyframes must be in rising order of frames, one a frame")
        if not 0 <= self.frames[0] <= self.frames[-1] <= LAST_FRAME:
            raise ValueError(f"keyframes lie on frames 0 to {LAST_FRAME}")
        # Kept to a thousandth of a pixel, so that the same shape always has the same digest; no "-0.0" either.
        points = np.round(self.points, 3) + 0.0
        if not np.all(np.abs(points[..., :6]) <= FARTHEST) or not np.all(np.abs(points[..., 6:]) <= WIDEST):
            raise ValueError(f"places lie within {FARTHEST:g} pixels of the corner, feathers reach up to {WIDEST:g}")
        points.flags.writeable = False
        return replace(self, points=points)

    def document(self) -> dict[str, Any]:
        """As JSON; `read` gives it back."""
        keys = zip(self.frames, self.ways, self.points.tolist(), strict=True)
        return {
            "closed": self.closed,
            "tied": list(self.tied),
            "keys": [{"frame": frame, "next": way, "points": points} for frame, way, points in keys],
        }

    @cached_property
    def digest(self) -> str:
        """SHA-256 of the course's content, in hexadecimal."""
        told = json.dumps([self.closed, self.tied, self.frames, self.ways, self.points.shape])
        return sha256(told.encode() + self.points.tobytes()).hexdigest()

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Course) and self.digest == other.digest

    def __hash__(self) -> int:
        return hash(self.digest)

    def __repr__(self) -> str:
        return f"Course({self.digest})"

    @property
    def covers(self) -> bool:
        """Whether there is any inside: a closed shape of three points or more."""
        return self.closed and self.points.shape[1] >= 3

    def at(self, frame: float) -> Numbers:
        """The points ``(points, 8)`` at `frame`; still before the first keyframe and after the last.

        Notes
        -----
        Between keyframes a shape is taken apart into its centre, how far it is turned, its size, and its form as seen
        from there; each goes its way, and they are put together again. So a shape that is turned by half does not
        collapse on the way, and one that is carried around a curve keeps its size. The turn from one keyframe to the
        next is the one that fits the points best (Schönemann 1966, "A generalized solution of the orthogonal
        Procrustes problem", in the plane), at most half a turn, and none where the two shapes have little in common;
        size is the root mean square distance from the centre, and changes by equal shares.
        """
        if len(self.frames) == 1:
            return self.points[0]
        apart = interpolated(self.frames, self._apart, self.ways, frame)
        centre, turn, size, form = apart[:2], apart[2], apart[3], apart[4:].reshape(-1, 8)
        return _moved(form, turn, np.exp(size), centre)

    @cached_property
    def _apart(self) -> Numbers:
        """``(keys, 4 + 8 points)``: centre, turn, logarithm of size, and form, at each keyframe."""
        centres = self.points[:, :, :2].mean(axis=1)
        places = _complex(self.points[:, :, :2] - centres[:, None])
        sizes = np.sqrt((np.abs(places) ** 2).mean(axis=1))
        # What has no size is as large as what was before.
        sizes = np.where(sizes > 1e-6, sizes, 1.0)
        turns = [0.0]
        for k in range(1, len(places)):
            fit = (places[k - 1].conj() * places[k]).mean() / (sizes[k - 1] * sizes[k])
            turns.append(turns[-1] + (float(np.angle(fit)) if abs(fit) > _LIKE else 0.0))
        rows = []
        for points, centre, turn, size in zip(self.points, centres, turns, sizes, strict=True):
            flat = points.copy()
            flat[:, :2] -= centre
            form = _moved(flat, -turn, 1 / size, np.zeros(2))
            rows.append(np.concatenate([centre, [turn, np.log(size)], form.ravel()]))
        return np.stack(rows)

    def shifted(self, x: float, y: float) -> "Course":
        """The whole course elsewhere."""
        points = self.points.copy()
        points[:, :, :2] += (x, y)
        return replace(self, points=points)._checked()

    def later(self, frames: int) -> "Course":
        """The whole course so many frames later, or sooner."""
        return replace(self, frames=tuple(frame + frames for frame in self.frames))._checked()

    def patched(self, patch: Mapping[str, Any]) -> "Course":
        """The course with what a hand has done to it.

        Parameters
        ----------
        patch
            ``keys``: points by frame (as text, as JSON has it), or null where a keyframe goes;
            ``shift``: how far all of it is moved; ``later``: by how many frames.

        Raises
        ------
        ValueError
            With a sentence that says what is wrong.
        """
        course = self
        if not set(patch) <= {"keys", "shift", "later"}:
            raise ValueError("an outline is changed by “keys”, “shift” and “later”")
        if keys := patch.get("keys"):
            if not isinstance(keys, dict) or not all(frame.isdecimal() and len(frame) < 9 for frame in keys):
                raise ValueError("“keys” has points by frame")
            held = dict(self._keys)
            for frame, points in keys.items():
                if points is None:
                    held.pop(int(frame), None)
                else:
                    held[int(frame)] = (self._way_at(int(frame)), _points(points))
            if not held:
                raise ValueError("an outline keeps at least one keyframe")
            if any(len(points) != self.points.shape[1] for _, points in held.values()):
                raise ValueError("an outline has the same number of points on every keyframe")
            course = course._with(held)
        if shift := patch.get("shift"):
            x, y = _row(shift, 2)
            course = course.shifted(x, y)
        if later := patch.get("later"):
            if type(later) is not int or abs(later) > LAST_FRAME:
                raise ValueError("“later” is a number of frames")
            course = course.later(later)
        return course

    @property
    def _keys(self) -> dict[int, tuple[Way, Numbers]]:
        return dict(zip(self.frames, zip(self.ways, self.points, strict=True), strict=True))

    def _way_at(self, frame: int) -> Way:
        """The way of the keyframe on `frame`, or of the last one before it."""
        return self.ways[max(int(np.searchsorted(self.frames, frame, side="right")) - 1, 0)]

    def _with(self, keys: Mapping[int, tuple[Way, Numbers]]) -> "Course":
        frames = tuple(sorted(keys))
        if len(frames) > MOST_KEYS or len(frames) * self.points.shape[1] > MOST:
            raise ValueError(f"an outline has at most {MOST} points on all its keyframes together")
        ways, points = tuple(keys[f][0] for f in frames), np.stack([keys[f][1] for f in frames])
        return replace(self, frames=frames, ways=ways, points=points)._checked()


def _moved(points: Numbers, turn: float, size: float, centre: Numbers) -> Numbers:
    """Points turned and sized about the origin, which then goes to `centre`; feathers stay as wide as they are."""
    factor = size * np.exp(1j * turn)
    out = points.copy()
    for first in (0, 2, 4):
        moved = _complex(points[:, first : first + 2]) * factor
        out[:, first], out[:, first + 1] = moved.real, moved.imag
    out[:, :2] += centre
    return out


def _complex(places: Numbers) -> NDArray[np.complex128]:
    return places[..., 0] + 1j * places[..., 1]


def _key(key: object) -> tuple[int, Way, Numbers]:
    if not isinstance(key, dict) or not set(key) <= {"frame", "next", "points"}:
        raise ValueError("a keyframe of an outline has “frame”, “next” and “points”, and nothing else")
    frame, way = key.get("frame"), key.get("next", "smooth")
    if type(frame) is not int:
        raise ValueError("a keyframe's frame is a whole number")
    if way not in get_args(Way):
        raise ValueError("a keyframe goes on by hold, linear or smooth")
    return frame, way, _points(key.get("points"))


def _points(rows: object) -> Numbers:
    """Points ``(points, 8)`` from rows of two numbers (a corner) or eight."""
    if not isinstance(rows, list) or not 1 <= len(rows) <= MOST_POINTS:
        raise ValueError(f"a shape has 1 to {MOST_POINTS} points")
    points = np.zeros((len(rows), 8))
    for number, row in enumerate(rows):
        length = 2 if isinstance(row, list) and len(row) == 2 else 8
        points[number, :length] = _row(row, length)
    return points


def _row(row: object, length: int) -> list[float]:
    if not isinstance(row, list) or len(row) != length or not all(map(_is_place, row)):
        raise ValueError(f"a point is two or eight numbers: {', '.join(PARTS)}")
    return row


def _is_place(value: object) -> bool:
    # Not what is no number, nor a whole number too large for a float.
    return isinstance(value, int | float) and not isinstance(value, bool) and abs(value) <= FARTHEST
