"""Findings: places of one kind that go on over frames, as a person is told of them."""

from collections.abc import Mapping, Sequence
from typing import NamedTuple

import numpy as np

from upholster.core.findings.frame import Measured
from upholster.core.findings.jump import jump, step
from upholster.core.findings.kinds import KINDS, Name
from upholster.core.findings.places import GRID, Box, Place

#: How far a place may move from one frame to the next, as a share of the picture, and still be the same.
_WANDERS = 0.03
#: Most frames measured between two of the same finding on which it is not seen.
_SKIPS = 1
_EVERYWHERE = (0.0, 0.0, 1.0, 1.0)


class Finding(NamedTuple):
    """Something wrong on a span of frames.

    Attributes
    ----------
    kind : str
    first, last : int
        Its frames.
    worst : int
        The frame on which it is worst.
    place : Place
        As it is on that frame.
    boxes : of (int, box)
        Where it is on each frame on which it was seen.
    """

    kind: Name
    first: int
    last: int
    worst: int
    place: Place
    boxes: tuple[tuple[int, Box], ...]

    @property
    def around(self) -> Box:
        """The box it keeps within on all of its frames."""
        left, top, right, bottom = zip(*(box for _, box in self.boxes), strict=True)
        return min(left), min(top), max(right), max(bottom)

    @property
    def severity(self) -> float:
        return self.place.severity

    @property
    def frames(self) -> str:
        """Its frames in words."""
        return f"frame {self.first}" if self.first == self.last else f"frames {self.first} to {self.last}"

    def sentence(self, scale: float = 1.0) -> str:
        """What it is and where, in words; lengths in pixels of a plate `scale` times as large as one 960 wide."""
        kind, place = KINDS[self.kind], self.place
        where = f"{_where(place.box)}, {self.frames}"
        if self.kind == "jump":
            words = kind.words.capitalize()
            return f"{words} from frame {self.first - 1} to {self.first}: {place.amount:.0%} {kind.unit}."
        wide = f"{max(1, round(place.width * scale))} px wide"
        if self.kind == "cut_off":
            return f"The subject is {kind.words} {where}."
        return f"{kind.words.capitalize()} {where}: {wide}, {place.amount:.0%} {kind.unit}."


def findings(measured: Mapping[int, Measured]) -> list[Finding]:
    """Join places of frames to findings, the worst first.

    Parameters
    ----------
    measured
        By frame; those between two that are not measured yet are taken to be like these.
    """
    done: list[list[tuple[int, Place]]] = []
    kinds: list[Name] = []
    going: list[tuple[int, int]] = []
    order = sorted(measured)
    for position, frame in enumerate(order):
        going = [(k, seen) for k, seen in going if position - seen <= _SKIPS + 1]
        taken: set[int] = set()
        for kind, there in measured[frame].places.items():
            for place in there:
                near = [k for k, _ in going if kinds[k] == kind and k not in taken and _meet(done[k][-1][1], place)]
                own = max(near, key=lambda k: _shared(done[k][-1][1].box, place.box), default=len(done))
                if own == len(done):
                    done.append([])
                    kinds.append(kind)
                done[own].append((frame, place))
                taken.add(own)
        going = [(k, seen) for k, seen in going if k not in taken] + [(k, position) for k in taken]
    found = [_joined(kind, course) for kind, course in zip(kinds, done, strict=True)]
    return sorted([*found, *_jumps(measured, order)], key=lambda f: (-f.severity, f.first, f.kind))


def usual_step(measured: Mapping[int, Measured]) -> float:
    """How far neighbouring frames are apart in the middle of a shot."""
    steps = [step(measured[n - 1].tale, measured[n].tale) for n in measured if n - 1 in measured]
    return float(np.median(steps)) if steps else 0.0


def _jumps(measured: Mapping[int, Measured], order: Sequence[int]) -> list[Finding]:
    usual = usual_step(measured)
    found = []
    for n in order:
        if n - 1 in measured and (much := jump(measured[n - 1].tale, measured[n].tale, usual)):
            place = Place(_EVERYWHERE, ((1 << GRID) - 1,) * GRID, *much, 960.0)
            found.append(Finding("jump", n, n, n, place, ((n, _EVERYWHERE),)))
    return found


def _joined(kind: Name, course: Sequence[tuple[int, Place]]) -> Finding:
    worst, place = max(course, key=lambda each: each[1].severity)
    boxes = tuple((frame, each.box) for frame, each in course)
    return Finding(kind, course[0][0], course[-1][0], worst, place, boxes)


def _meet(one: Place, two: Place) -> bool:
    left, top, right, bottom = one.box
    return _shared((left - _WANDERS, top - _WANDERS, right + _WANDERS, bottom + _WANDERS), two.box) > 0


def _shared(one: tuple[float, ...], two: tuple[float, ...]) -> float:
    """The area two boxes have in common."""
    wide = min(one[2], two[2]) - max(one[0], two[0])
    high = min(one[3], two[3]) - max(one[1], two[1])
    return max(0.0, wide) * max(0.0, high)


def _where(box: tuple[float, ...]) -> str:
    """The part of the picture a box lies in, in words."""
    x, y = (box[0] + box[2]) / 2, (box[1] + box[3]) / 2
    across = "at the left" if x < 1 / 3 else "at the right" if x > 2 / 3 else ""
    down = "at the top" if y < 1 / 3 else "at the bottom" if y > 2 / 3 else ""
    return f"{down} {across.removeprefix('at the ')}".strip() if down and across else down or across or "in the middle"
