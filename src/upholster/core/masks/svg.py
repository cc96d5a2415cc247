"""Masks as SVG, an open standard: paths, with their course as SMIL animation; and back."""

import json
import re
from dataclasses import replace
from itertools import count
from xml.etree import ElementTree

import numpy as np
from numpy.typing import NDArray
from pydantic import ValidationError
from svgelements import Close, CubicBezier, Line, Move, Path, QuadraticBezier

from upholster.core.documents.masks import Mask, Masks
from upholster.core.masks.course import Course
from upholster.core.masks.thinned import thinned

Numbers = NDArray[np.float64]

_SVG = "http://www.w3.org/2000/svg"
#: How far a shape read from an animation may be off on any of its frames, in pixels.
_OFF = 0.05
#: Most characters of a file, and frames of an animation.
_MOST, _FRAMES = 64 << 20, 10_000
_PARTS = re.compile(r"\s*;\s*")


def to_svg(masks: Masks, width: int, height: int, rate: float) -> str:
    """A picture of all outlines in one file, in pixels of the plate.

    Each is a path that begins at its first keyframe; one that moves has an animation of ``d`` with a value for each
    frame up to its last keyframe, so that it goes the same way in any viewer (SVG 1.1, chapter 19, Animation).
    What a path cannot say (feathers, keyframes, what a mask does) stands beside it as the mask's document, in the
    `metadata` that SVG has for it.
    """
    ElementTree.register_namespace("", _SVG)
    root = ElementTree.Element(
        f"{{{_SVG}}}svg", {"width": str(width), "height": str(height), "viewBox": f"0 0 {width} {height}"}
    )
    for mark in masks.order:
        mask = masks.each[mark]
        path = _path(mask.course, rate)
        path.set("id", mark)
        ElementTree.SubElement(path, f"{{{_SVG}}}title").text = mask.name
        ElementTree.SubElement(path, f"{{{_SVG}}}metadata").text = mask.model_dump_json()
        root.append(path)
    return '<?xml version="1.0" encoding="UTF-8"?>\n' + ElementTree.tostring(root, encoding="unicode") + "\n"


def _path(course: Course, rate: float) -> ElementTree.Element:
    """A path, with its animation where it moves."""
    first, last = course.frames[0], course.frames[-1]
    drawn = {"d": _d(course, first), "fill": "white" if course.covers else "none", "fill-rule": "nonzero"}
    path = ElementTree.Element(f"{{{_SVG}}}path", drawn)
    if last > first:
        frames = range(first, last + 1)
        many = len(frames)
        animate = {
            "attributeName": "d",
            "begin": f"{first / rate:.6f}s",
            "dur": f"{many / rate:.6f}s",
            "calcMode": "discrete",
            "fill": "freeze",
            "keyTimes": ";".join(f"{k / many:.8f}" for k in range(many)),
            "values": ";".join(_d(course, frame) for frame in frames),
        }
        ElementTree.SubElement(path, f"{{{_SVG}}}animate", animate)
    return path


def frame_to_svg(masks: Masks, width: int, height: int, frame: int) -> str:
    """A still picture of all outlines on one frame."""
    each = {mark: mask.model_copy(update={"course": _held(mask.course, frame)}) for mark, mask in masks.each.items()}
    return to_svg(masks.model_copy(update={"each": each}), width, height, 1.0)


def _held(course: Course, frame: int) -> Course:
    """The course as it is on a frame, still."""
    return replace(course, frames=(0,), ways=("hold",), points=course.at(frame)[None])


def _d(course: Course, frame: int) -> str:
    points = course.at(frame)
    parts = [f"M{points[0, 0]:.3f} {points[0, 1]:.3f}"]
    after = np.roll(points, -1, axis=0)
    sides = list(zip(points, after, strict=True))
    for here, there in sides if course.closed else sides[:-1]:
        ends = [*(here[:2] + here[4:6]), *(there[:2] + there[2:4]), *there[:2]]
        parts.append("C" + " ".join(f"{number:.3f}" for number in ends))
    return "".join(parts) + ("Z" if course.closed else "")


def from_svg(text: str, rate: float) -> list[Mask]:
    """The paths of an SVG as masks; animations of ``d`` as their course, thinned to few keyframes.

    A path that `to_svg` wrote, and that nobody reshaped since, gives exactly the mask it was.

    Raises
    ------
    ValueError
        With a sentence that says what is wrong.
    """
    if len(text) > _MOST:
        raise ValueError("the SVG is larger than 64 MiB")
    if "<!ENTITY" in text:
        raise ValueError("the SVG declares entities, which are not read")
    try:
        root = ElementTree.fromstring(text)
    except ElementTree.ParseError:
        raise ValueError("this is not an SVG") from None
    found = []
    for number, path in enumerate(root.iter(f"{{{_SVG}}}path"), 1):
        named = (path.findtext(f"{{{_SVG}}}title") or path.get("id") or "").strip()[:80] or f"Path {number}"
        found.append(_mask_of_ours(path, rate) or Mask(name=named, course=_course(path, rate)))
    if not found:
        raise ValueError("the SVG has no paths; shapes have to be converted to paths first")
    return found


def _mask_of_ours(path: ElementTree.Element, rate: float) -> Mask | None:
    """The mask whose document stands beside a path, where it still draws this path."""
    try:
        mask = Mask.model_validate(json.loads(path.findtext(f"{{{_SVG}}}metadata") or "null"))
    except (ValueError, ValidationError):
        return None
    return mask if _drawn(_path(mask.course, rate)) == _drawn(path) else None


def _drawn(path: ElementTree.Element) -> tuple[str | None, list[str | None]]:
    """What a path draws: its shape, and the values of its animations."""
    return path.get("d"), [animate.get("values") for animate in path.iter(f"{{{_SVG}}}animate")]


def with_masks(masks: Masks, more: list[Mask]) -> Masks:
    """Masks with others after them."""
    each, order = dict(masks.each), list(masks.order)
    for mask in more:
        mark = next(f"m{n}" for n in count(1) if f"m{n}" not in each)
        each[mark] = mask
        order.append(mark)
    return Masks(paused=masks.paused, order=tuple(order), each=each)


def _course(path: ElementTree.Element, rate: float) -> Course:
    animate = next((a for a in path.iter(f"{{{_SVG}}}animate") if a.get("attributeName") == "d"), None)
    if animate is None:
        points, closed = _points(path.get("d") or "")
        return Course.read({"closed": closed, "keys": [{"frame": 0, "points": points.tolist()}]})
    values = [value for value in _PARTS.split(animate.get("values") or "") if value]
    if not 1 <= len(values) <= _FRAMES:
        raise ValueError(f"an animation has 1 to {_FRAMES} values")
    begin, duration = (_seconds(animate.get(name) or "0s") for name in ("begin", "dur"))
    times = [float(t) for t in _PARTS.split(animate.get("keyTimes") or "") if t]
    # Without times, values are evenly spread: discrete ones over the whole, others from end to end.
    discrete = animate.get("calcMode") == "discrete"
    spread = len(values) if discrete else max(1, len(values) - 1)
    times = times if len(times) == len(values) else [k / spread for k in range(len(values))]
    keys: dict[int, Numbers] = {}
    closed = True
    for time, value in zip(times, values, strict=True):
        points, closed = _points(value)
        keys[max(0, round((begin + time * duration) * rate))] = points
    document = {
        "closed": closed,
        "keys": [{"frame": f, "next": "linear", "points": p.tolist()} for f, p in sorted(keys.items())],
    }
    return thinned(Course.read(document), _OFF)


def _seconds(clock: str) -> float:
    found = re.fullmatch(r"\s*([0-9.]+)\s*(ms|s)?\s*", clock)
    if not found:
        raise ValueError(f"“{clock[:40]}” is no time in seconds")
    return float(found[1]) / (1000 if found[2] == "ms" else 1)


def _points(d: str) -> tuple[Numbers, bool]:
    """Points ``(points, 8)`` of the first line of a path, and whether it is closed."""
    try:
        segments = list(Path(d))
    except (ValueError, IndexError, TypeError):
        raise ValueError("a path cannot be read") from None
    rows: list[list[float]] = []
    closed = False
    for segment in segments:
        if isinstance(segment, Move):
            if rows:
                break
            rows.append([segment.end.x, segment.end.y, 0, 0, 0, 0, 0, 0])
        elif isinstance(segment, Close):
            closed = True
            break
        elif isinstance(segment, Line | QuadraticBezier | CubicBezier) and rows:
            one, two = _handles(segment)
            end = segment.end
            rows[-1][4:6] = one[0] - rows[-1][0], one[1] - rows[-1][1]
            rows.append([end.x, end.y, two[0] - end.x, two[1] - end.y, 0, 0, 0, 0])
        else:
            raise ValueError("a path has arcs or begins in the middle; convert it to curves first")
    points = np.array(rows, np.float64).reshape(-1, 8)
    if closed and len(points) > 1 and np.hypot(*(points[0, :2] - points[-1, :2])) < 1e-6:
        # The last curve comes back to the first point.
        points[0, 2:4] = points[-1, 2:4]
        points = points[:-1]
    return points, closed


def _handles(segment: Line | QuadraticBezier | CubicBezier) -> tuple[tuple[float, float], tuple[float, float]]:
    start, end = segment.start, segment.end
    if isinstance(segment, CubicBezier):
        return (segment.control1.x, segment.control1.y), (segment.control2.x, segment.control2.y)
    if isinstance(segment, QuadraticBezier):
        # The same curve as a cubic has its handles two thirds of the way (degree elevation).
        c = segment.control
        return (
            (start.x + 2 * (c.x - start.x) / 3, start.y + 2 * (c.y - start.y) / 3),
            (end.x + 2 * (c.x - end.x) / 3, end.y + 2 * (c.y - end.y) / 3),
        )
    return (start.x, start.y), (end.x, end.y)
