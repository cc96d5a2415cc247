"""Faults put into a clip that is right: where, on which frames, and how bad, all drawn at random."""

from collections.abc import Callable
from dataclasses import replace
from typing import NamedTuple

import cv2
import numpy as np
from bench.drawn import Draw, blob
from numpy.typing import NDArray

from upholster.core.findings.seen import Seen
from upholster.core.grids import enlarge

Plane = NDArray[np.float32]
Mask = NDArray[np.bool_]


class Fault(NamedTuple):
    """A fault: its kind, the mask of what it hurts on each of its frames, and the error it makes there."""

    kind: str
    masks: dict[int, Mask]
    errors: dict[int, float]


Faulty = tuple[list[Seen], Fault]


def hole(draw: Draw, clip: list[Seen]) -> Faulty | None:
    """A dip in the solid part that goes with what it lies on."""
    frames = _some(draw, len(clip))
    size = int(draw.integers(6, 46))
    deep = np.float32(draw.uniform(0.2, 1.0))
    at = _inside(draw, clip[frames[0]], size / 2 + 4)
    if at is None:
        return None
    shape = blob(draw, size) * deep

    def change(seen: Seen, n: int) -> Seen:
        return _dipped(seen, _laid(seen, shape, _along(clip, frames[0], n, at)))

    return _each(clip, frames, "hole", change)


def _dipped(seen: Seen, dip: Plane) -> Seen:
    return replace(seen, alpha=seen.alpha * (1 - dip), raw=seen.raw * (1 - dip))


def haze(draw: Draw, clip: list[Seen]) -> Faulty | None:
    """Coverage left on bare ground: a patch, or an uneven film."""
    frames = _some(draw, len(clip))
    size = int(draw.integers(18, 160))
    at = _outside(draw, [clip[n] for n in frames], size / 2 + 16)
    if at is None:
        return None
    film = blob(draw, size) * np.float32(draw.uniform(0.05, 0.35))
    if draw.random() < 0.5:
        film = film * cv2.GaussianBlur(draw.uniform(0.4, 1.6, film.shape).astype(np.float32), (0, 0), 1.5)

    def change(seen: Seen, n: int) -> Seen:
        left = _laid(seen, film, at)
        alpha = np.maximum(seen.alpha, left)
        rgb = np.where(left > seen.alpha, seen.plate, seen.rgb)
        return replace(seen, alpha=alpha, raw=np.maximum(seen.raw, left), rgb=rgb)

    return _each(clip, frames, "haze", change)


def fringe(draw: Draw, clip: list[Seen]) -> Faulty | None:
    """A rim with the screen in it, or a dark or light line, along a part of the edge."""
    frames = _some(draw, len(clip))
    first = clip[frames[0]]
    at = _on_edge(draw, first)
    if at is None or first.glow:
        return None
    reach, much = draw.uniform(25, 120), np.float32(draw.uniform(0.35, 0.9))
    colour = draw.choice(["screen", "dark", "light"])

    def change(seen: Seen, n: int) -> Seen:
        x, y = _along(clip, frames[0], n, at)
        rows, columns = np.mgrid[0 : seen.alpha.shape[0], 0 : seen.alpha.shape[1]]
        near = np.clip(2 - np.hypot(columns - x, rows - y) / reach * 2, 0, 1).astype(np.float32)
        rim = cv2.dilate((seen.alpha < 0.9).astype(np.uint8), np.ones((5, 5), np.uint8))
        part = near * cv2.GaussianBlur(rim.astype(np.float32), (0, 0), 0.8) * much
        other = {"screen": _ground(seen), "dark": np.float32(0), "light": np.float32(1)}[colour]
        return replace(seen, rgb=seen.rgb + part * (other - seen.rgb))

    return _each(clip, frames, "fringe", change)


def spill(draw: Draw, clip: list[Seen]) -> Faulty | None:
    """Light of the screen on solid parts near the edge, fading inward."""
    frames = _some(draw, len(clip))
    at = _on_edge(draw, clip[frames[0]])
    if at is None or clip[0].hue[2] < 0.05:
        return None
    reach, deep = draw.uniform(40, 150), draw.uniform(8, 40)
    much = np.float32(draw.uniform(0.12, 0.35))

    def change(seen: Seen, n: int) -> Seen:
        x, y = _along(clip, frames[0], n, at)
        rows, columns = np.mgrid[0 : seen.alpha.shape[0], 0 : seen.alpha.shape[1]]
        near = np.clip(2 - np.hypot(columns - x, rows - y) / reach * 2, 0, 1).astype(np.float32)
        lit = near * np.exp(-cv2.resize(seen.depth, seen.size) / np.float32(deep)) * (seen.alpha > 0.05) * much
        ground = _ground(seen)
        own = ground - ground.min(axis=0)
        return replace(seen, rgb=np.clip(seen.rgb + lit * own, 0, 1))

    return _each(clip, frames, "spill", change)


def chatter(draw: Draw, clip: list[Seen]) -> Faulty | None:
    """An edge that moves in and out, or a place that comes and goes, from frame to frame."""
    # The first and the last frame have nothing on one side to be compared with.
    frames = [n + 1 for n in _some(draw, len(clip) - 2, least=3)]
    inner = draw.random() < 0.4
    size = int(draw.integers(10, 50))
    at = _inside(draw, clip[frames[0]], size / 2 + 3) if inner else _on_edge(draw, clip[frames[0]])
    if at is None:
        return None
    shape = blob(draw, size) if inner else None
    reach = draw.uniform(25, 110)
    turns = {n: (1 if k % 2 else -1) * draw.uniform(0.7, 1.3) for k, n in enumerate(frames)}
    much = draw.uniform(0.35, 0.9) if inner else draw.uniform(2.5, 5.0)

    def change(seen: Seen, n: int) -> Seen:
        x, y = _along(clip, frames[0], n, at)
        if shape is not None:
            dip = _laid(seen, shape, (x, y)) * np.float32(min(1.0, much * max(0.0, turns[n])))
            return _dipped(seen, dip)
        rows, columns = np.mgrid[0 : seen.alpha.shape[0], 0 : seen.alpha.shape[1]]
        near = np.clip(2 - np.hypot(columns - x, rows - y) / reach * 2, 0, 1).astype(np.float32)
        width = 2 * round(abs(much * turns[n])) + 1
        element = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (width, width))
        other = (cv2.dilate if turns[n] > 0 else cv2.erode)(seen.alpha, element)
        return replace(seen, alpha=seen.alpha + near * (other - seen.alpha))

    return _each(clip, frames, "chatter", change)


def cut_off(draw: Draw, clip: list[Seen]) -> Faulty | None:
    """A straight line through the subject beyond which nothing is kept, as by a mask; or the take cut into it."""
    frames = _some(draw, len(clip))
    first = clip[frames[0]]
    at = _inside(draw, first, 6)
    if at is None:
        return None
    turn = draw.uniform(0, 2 * np.pi)
    rows, columns = np.mgrid[0 : first.alpha.shape[0], 0 : first.alpha.shape[1]]
    beyond = (columns - at[0]) * np.cos(turn) + (rows - at[1]) * np.sin(turn) > 0
    if draw.random() < 0.5:
        made = _each(clip, frames, "cut_off", lambda seen, n: replace(seen, alpha=np.where(beyond, 0, seen.alpha)))
        # The fault is where the subject is cut, not all that is gone.
        line = cv2.dilate((~beyond).astype(np.uint8), np.ones((17, 17), np.uint8)) > 0
        return made and (made[0], _narrowed(made[1], line))
    side = int(at[0])
    left = bool(draw.integers(2))
    kept = slice(side, None) if left else slice(0, side)
    cut = [_cropped(seen, kept, left) for seen in clip]
    masks, errors = {}, {}
    for seen in cut:
        border = np.zeros(seen.alpha.shape, bool)
        border[:, : 3 if left else None] = True
        if not left:
            border[:, :-3] = False
        hurt = border & (seen.alpha > 0.95)
        if hurt.sum() >= 12:
            masks[seen.frame], errors[seen.frame] = hurt, float(hurt.sum())
    return (cut, Fault("cut_off", masks, errors)) if masks else None


def _narrowed(fault: Fault, where: Mask) -> Fault:
    masks = {n: hurt & where for n, hurt in fault.masks.items() if (hurt & where).sum() >= 12}
    return fault._replace(masks=masks, errors={n: float(hurt.sum()) for n, hurt in masks.items()})


def _cropped(seen: Seen, kept: slice, left: bool) -> Seen:
    planes = {name: np.ascontiguousarray(getattr(seen, name)[..., kept]) for name in ("plate", "rgb", "alpha", "raw")}
    return replace(seen, **planes, cut=(left, False, not left, False))


def jump(draw: Draw, clip: list[Seen]) -> Faulty | None:
    """From a frame on, all light is another, or the key gives another coverage."""
    if len(clip) < 4:
        return None
    start = int(draw.integers(2, len(clip) - 1))
    gain = np.float32(draw.choice([draw.uniform(0.6, 0.85), draw.uniform(1.18, 1.5)]))
    changed = [seen if seen.frame < start else replace(seen, plate=np.clip(seen.plate * gain, 0, 1)) for seen in clip]
    everywhere = np.ones(clip[0].alpha.shape, bool)
    return changed, Fault("jump", {start: everywhere}, {start: abs(float(np.log(gain)))})


FAULTS: dict[str, Callable[[Draw, list[Seen]], Faulty | None]] = {
    f.__name__: f for f in (hole, haze, fringe, chatter, cut_off, spill, jump)
}


def _some(draw: Draw, length: int, least: int = 1) -> list[int]:
    count = int(draw.integers(least, length + 1))
    first = int(draw.integers(0, length - count + 1))
    return list(range(first, first + count))


def _each(clip: list[Seen], frames: list[int], kind: str, change: Callable[[Seen, int], Seen]) -> Faulty | None:
    """The clip with some frames changed; the fault where the change is seen at all."""
    changed, masks, errors = list(clip), {}, {}
    for n in frames:
        changed[n] = change(clip[n], n)
        if kind in ("fringe", "spill"):
            error = np.abs(changed[n].rgb - clip[n].rgb).max(axis=0) * clip[n].alpha
        else:
            error = np.abs(changed[n].alpha - clip[n].alpha)
        hurt = error > 0.03
        if hurt.sum() >= 12:
            masks[n], errors[n] = hurt, float((error[hurt] ** 2).sum())
    return (changed, Fault(kind, masks, errors)) if masks else None


def _laid(seen: Seen, shape: Plane, at: tuple[float, float]) -> Plane:
    """A small plane laid over a frame, its middle at a place."""
    height, width = seen.alpha.shape
    move = np.array([[1, 0, at[0] - shape.shape[1] / 2], [0, 1, at[1] - shape.shape[0] / 2]], np.float32)
    return cv2.warpAffine(shape, move, (width, height))


def _inside(draw: Draw, seen: Seen, room: float) -> tuple[float, float] | None:
    solid = cv2.distanceTransform((seen.alpha > 0.99).astype(np.uint8), cv2.DIST_L2, 3)
    return _one(draw, solid > room)


def _outside(draw: Draw, clip: list[Seen], room: float) -> tuple[float, float] | None:
    empty = np.min([cv2.distanceTransform((s.alpha < 0.01).astype(np.uint8), cv2.DIST_L2, 3) for s in clip], axis=0)
    return _one(draw, empty > room)


def _on_edge(draw: Draw, seen: Seen) -> tuple[float, float] | None:
    core = cv2.dilate((cv2.resize(seen.depth, seen.size) > 14).astype(np.uint8), np.ones((35, 35), np.uint8)) > 0
    return _one(draw, (np.abs(seen.alpha - 0.5) < 0.4) & core)


def _one(draw: Draw, where: Mask) -> tuple[float, float] | None:
    y, x = np.nonzero(where)
    if not len(x):
        return None
    k = int(draw.integers(len(x)))
    return float(x[k]), float(y[k])


def _along(clip: list[Seen], start: int, n: int, at: tuple[float, float]) -> tuple[float, float]:
    """Where a place of a frame lies on a later one: carried by the motion of a window around it."""
    x, y = at
    for k in range(start, n):
        search = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_MEDIUM)
        flow = search.calc(clip[k].grey, clip[k + 1].grey, None)
        row, column = int(y / 3), int(x / 3)
        window = flow[max(0, row - 4) : row + 5, max(0, column - 4) : column + 5].reshape(-1, 2)
        step = np.median(window, axis=0) if len(window) else np.zeros(2)
        x, y = x + 3 * float(step[0]), y + 3 * float(step[1])
    return x, y


def _ground(seen: Seen) -> Plane:
    assert seen.clean is not None
    return enlarge(seen.clean, seen.alpha.shape[1], seen.alpha.shape[0])
