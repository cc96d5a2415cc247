"""Carrying a matte from one frame to the next, anchored anew to the picture at every step."""

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.core.trace import colours
from upholster.core.trace.cues import Carried
from upholster.core.trace.geometry import Box, Mask, box_around, in_whole, signed_distance
from upholster.core.trace.motion import motion
from upholster.core.trace.scene import Scene
from upholster.core.trace.seen import Bytes
from upholster.core.trace.settle import AROUND, Traced, settle

Plane = NDArray[np.float32]

#: From which odds on the colours of the whole dispute a matte.
_DISPUTED = 1.5


def step(scene: Scene, before: int, after: int, cover: Plane) -> Traced:
    """The matte on the frame `after`, from that on the frame `before` beside it."""
    then, now = scene.seen(before), scene.seen(after)
    box = box_around(cover > 0.05, AROUND)
    if box is None:
        return Traced(np.zeros_like(cover), np.zeros_like(cover), 0.0)
    moved, unsure = motion(then, now, box)
    part = cover[box.slices]
    near = (abs(signed_distance(part >= 0.5)) < colours.REACH).astype(np.uint8)
    then_lab, now_lab = (np.ascontiguousarray(seen.lab[box.slices]) for seen in (then, now))
    windows = colours.learnt(then_lab, _undisputed(scene, then_lab, part), scene.colours, near)
    changed = cv2.transform(cv2.absdiff(_where(then_lab, moved), now_lab), np.ones((1, 3), np.float32))
    carried = Carried(_where(part, moved), moved, unsure, changed, scene.ground_moved(after, before, box))
    return settle(scene, after, box, carried, windows, soft=_carried_soft(scene, before, box, moved))


def pass_by(scene: Scene, before: int, after: int, cover: Plane) -> None:
    """Take note of a frame whose matte is there already, as a step over it would have."""
    scene.remember(after, cover)
    box = box_around(cover > 0.05, AROUND)
    if before in scene.soft and box is not None:
        moved, _ = motion(scene.seen(before), scene.seen(after), box)
        soft = _carried_soft(scene, before, box, moved)
        if soft is not None:
            scene.soft[after] = in_whole(soft, box, cover.shape)


def _where(picture: NDArray[np.generic], moved: NDArray[np.float32]) -> NDArray[Any]:
    return cv2.remap(picture, moved[..., 0], moved[..., 1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)


def _carried_soft(scene: Scene, before: int, box: Box, moved: NDArray[np.float32]) -> Mask | None:
    soft = scene.soft_at(before, box)
    if soft is None:
        return None
    moved_soft = cv2.remap(soft.astype(np.uint8), moved[..., 0], moved[..., 1], cv2.INTER_NEAREST)
    return np.asarray(moved_soft > 0)


def _undisputed(scene: Scene, lab: Bytes, cover: Plane) -> Plane:
    """A matte to learn from: without ground that has the subject's own colours, which may be what was missed of it."""
    if not scene.memory:
        return cover
    said = sum(colours.odds_of(memory, lab) for memory in scene.memory.values()) / len(scene.memory)
    return np.where((cover < 0.1) & (said > _DISPUTED), np.float32(0.5), cover)
