"""Fewer keyframes for a shape, as many as its course needs."""

from collections.abc import Callable
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from upholster.core.documents.tracks import Way
from upholster.core.masks.course import Course

Numbers = NDArray[np.float64]


def apart(shape: Numbers, other: Numbers) -> float:
    """How far the points ``(n, 2)`` of two shapes are from each other, at most."""
    return float(np.hypot(*(shape - other).T).max())


def thinned(course: Course, tolerance: float, off: Callable[[Numbers, Numbers], float] = apart) -> Course:
    """A course whose points stay within `tolerance` pixels of where they were on every keyframe that goes.

    Parameters
    ----------
    course
    tolerance : float
        In pixels of the plate.
    off
        Measures how far a shape ``(n, 2)`` is off the one it should be, which comes second.

    Notes
    -----
    The keyframe furthest off the way between two others is kept, and so on to either side of it (Ramer 1972, Douglas
    and Peucker 1973), with shapes in the place of points.
    """
    if len(course.frames) < 3:
        return course
    kept = {0, len(course.frames) - 1}
    open_spans = [(0, len(course.frames) - 1)]
    while open_spans:
        first, last = open_spans.pop()
        if last - first < 2:
            continue
        between = _of(course, [first, last])
        far = [off(between.at(course.frames[k])[:, :2], course.points[k][:, :2]) for k in range(first + 1, last)]
        if max(far) > tolerance:
            worst = first + 1 + int(np.argmax(far))
            kept.add(worst)
            open_spans += [(first, worst), (worst, last)]
    return _of(course, sorted(kept))


def _of(course: Course, keys: list[int]) -> Course:
    """Some of the keyframes, with straight ways between them."""
    keys = list(dict.fromkeys(keys))
    frames = tuple(course.frames[k] for k in keys)
    straight: list[Way] = ["linear"] * len(keys)
    return replace(course, frames=frames, ways=tuple(straight), points=course.points[keys])
