"""Brush strokes of a trace: what was painted on which frame, kept once by its content."""

import json
from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import cached_property
from hashlib import sha256
from typing import Any, ClassVar, Literal, Self

from upholster.core.documents.kept import Kept
from upholster.core.documents.tracks import LAST_FRAME

Kind = Literal["keep", "drop", "soft"]

#: Most strokes of a trace, places of one stroke, and places of all together.
MOST, LONGEST, MOST_PLACES = 5_000, 20_000, 500_000
#: How far from the plate's corner a place may lie, and how thin and wide a brush may be, in pixels of the plate.
FARTHEST, THINNEST, WIDEST = 1e6, 0.5, 2_000.0


@dataclass(frozen=True)
class Stroke:
    """One stroke, in pixels of the plate.

    Attributes
    ----------
    frame : int
    kind : Kind
        Whether what lies under it is kept, dropped, or soft.
    radius : float
    points : of (float, float)
        Places from its beginning to its end; one is a dot.
    radii : of float
        The radius at each place, where a pen was pressed more or less; empty where it is `radius` throughout.
    on : bool
        Whether it counts.
    """

    frame: int
    kind: Kind
    radius: float
    points: tuple[tuple[float, float], ...]
    radii: tuple[float, ...] = ()
    on: bool = True

    @classmethod
    def read(cls, document: object) -> Self:
        """A stroke from parsed JSON.

        Raises
        ------
        ValueError
            With a sentence that says what is wrong.
        """
        fields = {"frame", "kind", "radius", "points", "radii", "on"}
        if not isinstance(document, dict) or not set(document) <= fields:
            raise ValueError("a stroke has “frame”, “kind”, “radius”, “points”, “radii” and “on”, and nothing else")
        frame, kind, on = document.get("frame"), document.get("kind"), document.get("on", True)
        if type(frame) is not int or not 0 <= frame <= LAST_FRAME:
            raise ValueError(f"a stroke's frame is a whole number from 0 to {LAST_FRAME}")
        if kind not in ("keep", "drop", "soft"):
            raise ValueError("a stroke's kind is “keep”, “drop” or “soft”")
        if not isinstance(on, bool):
            raise ValueError("“on” is true or false")
        points = document.get("points")
        if not isinstance(points, list) or not 1 <= len(points) <= LONGEST:
            raise ValueError(f"a stroke has 1 to {LONGEST} points; paint it in several strokes")
        places = tuple(_place(point) for point in points)
        radii = document.get("radii") or []
        if not isinstance(radii, list) or len(radii) not in (0, len(points)):
            raise ValueError("“radii” has one number for each point")
        return cls(frame, kind, _radius(document.get("radius", 6)), places, tuple(_radius(r) for r in radii), on)

    def document(self) -> dict[str, Any]:
        """As JSON; `read` gives it back."""
        told: dict[str, Any] = {"frame": self.frame, "kind": self.kind, "radius": self.radius}
        told["points"] = [list(point) for point in self.points]
        return told | ({"radii": list(self.radii)} if self.radii else {}) | ({} if self.on else {"on": False})


@dataclass(frozen=True, eq=False, repr=False)
class Strokes(Kept):
    """Strokes in the order in which they were made; where two cross, the later counts."""

    called: ClassVar[str] = "strokes are"

    each: tuple[Stroke, ...] = ()

    @classmethod
    def read(cls, document: object) -> "Strokes":
        """Strokes from parsed JSON, a list; those that are already stay them.

        Raises
        ------
        ValueError
            With a sentence that says what is wrong.
        """
        if isinstance(document, Strokes):
            return document
        if not isinstance(document, list):
            raise ValueError("strokes are a list")
        if len(document) > MOST:
            raise ValueError(f"a trace has at most {MOST} strokes")
        return cls(tuple(Stroke.read(stroke) for stroke in document))._checked()

    def _checked(self) -> "Strokes":
        if len(self.each) > MOST or sum(len(stroke.points) for stroke in self.each) > MOST_PLACES:
            raise ValueError(f"a trace has at most {MOST} strokes and {MOST_PLACES} points in all of them")
        return self

    def document(self) -> list[dict[str, Any]]:
        """As JSON; `read` gives it back."""
        return [stroke.document() for stroke in self.each]

    @property
    def frames(self) -> tuple[int, ...]:
        """The frames with strokes that count, rising."""
        return tuple(sorted({stroke.frame for stroke in self.each if stroke.on}))

    def on(self, frame: int) -> "Strokes":
        """The strokes of a frame that count."""
        return Strokes(tuple(stroke for stroke in self.each if stroke.on and stroke.frame == frame))

    @cached_property
    def digest(self) -> str:
        """SHA-256 of the content, in hexadecimal."""
        return sha256(json.dumps(self.document()).encode()).hexdigest()

    @property
    def nbytes(self) -> int:
        """About how much memory they take."""
        return 200 * (len(self.each) + sum(len(stroke.points) for stroke in self.each))

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Strokes) and self.digest == other.digest

    def __hash__(self) -> int:
        return hash(self.digest)

    def __repr__(self) -> str:
        return f"Strokes({self.digest})"

    def patched(self, patch: Mapping[str, Any]) -> "Strokes":
        """The strokes with what a hand has done to them.

        Parameters
        ----------
        patch
            ``without``: numbers of strokes that go, ``off`` and ``on``: of those that are to count no more, or again;
            then ``add``: strokes that are made.

        Raises
        ------
        ValueError
            With a sentence that says what is wrong.
        """
        if not set(patch) <= {"add", "without", "off", "on"}:
            raise ValueError("strokes are changed by “add”, “without”, “off” and “on”")
        gone, off, on = (_numbers(patch.get(name, []), len(self.each)) for name in ("without", "off", "on"))
        kept = [
            replace(stroke, on=n not in off and (stroke.on or n in on))
            for n, stroke in enumerate(self.each)
            if n not in gone
        ]
        added = patch.get("add", [])
        if not isinstance(added, list) or len(added) > MOST:
            raise ValueError("“add” is a list of strokes")
        return Strokes((*kept, *(Stroke.read(stroke) for stroke in added)))._checked()


def _numbers(value: object, count: int) -> frozenset[int]:
    if not isinstance(value, list) or not all(type(n) is int and 0 <= n < count for n in value):
        raise ValueError(f"strokes are named by their numbers, 0 to {count - 1}")
    return frozenset(value)


def _place(point: object) -> tuple[float, float]:
    if not isinstance(point, list) or len(point) != 2 or not all(_is_number(v, FARTHEST) for v in point):
        raise ValueError(f"a point is two numbers, within {FARTHEST:g} pixels of the corner")
    # Kept to a hundredth of a pixel, so that the same stroke always has the same digest; no "-0.0" either.
    return round(float(point[0]), 2) + 0.0, round(float(point[1]), 2) + 0.0


def _radius(value: object) -> float:
    if not _is_number(value, WIDEST) or not isinstance(value, int | float) or value < THINNEST:
        raise ValueError(f"a radius is a number from {THINNEST:g} to {WIDEST:g} pixels")
    return round(float(value), 2)


def _is_number(value: object, most: float) -> bool:
    # Not what is no number, nor a whole number too large for a float.
    return isinstance(value, int | float) and not isinstance(value, bool) and abs(value) <= most
