"""Carrying a matte from one frame to the next, anchored anew to the picture at every step."""

from typing import Any, NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.core.trace import colours, evidence
from upholster.core.trace.colours import Windows
from upholster.core.trace.geometry import Box, Mask, box_around, in_whole, signed_distance
from upholster.core.trace.motion import motion
from upholster.core.trace.painted import DROP, KEEP, SOFT
from upholster.core.trace.plate import Ground
from upholster.core.trace.scene import Scene
from upholster.core.trace.seen import Bytes
from upholster.core.trace.soft import soft_cover
from upholster.core.trace.walk import walk

Plane = NDArray[np.float32]
Places = tuple[NDArray[np.int32], NDArray[np.int32]]

#: How far around the subject is looked, how wide the band is in which its outline is looked for, and how much wider
#: where motion is unsure, in pixels.
AROUND, _BAND, _UNSURE = 76, 9, 24
#: How far beyond the band new parts may begin, and holes open.
_GROWS = 30
#: How far away parts come back that were hidden, in the subject's own colours.
_FARTHEST = 72
#: Logarithm of the odds from which a residual speaks against what was expected.
_AGAINST = 1.2
#: From which colours far away are none of the ground's.
_FOREIGN = -0.5
#: Weights of what speaks: colours nearby, colours of the whole, distance from the clean plate, and the carried shape.
_NEAR, _WHOLE, _GROUND, _SHAPE = 1.0, 0.35, 1.0, 0.22
#: Weight of the colours of the whole where those nearby cannot be trusted, and from which odds on they dispute a matte.
_ALONE, _DISPUTED = 1.0, 1.5
#: How strongly a pixel is drawn by what speaks of it, beside a step between equal neighbours.
_PULL = 0.12
#: How reluctant a walker is, in units of the mean squared step between neighbours.
_BETA = 0.7
#: How far to either side of the outline coverage lies between where the walk was unsure.
_UNSETTLED = 12
#: Share of a frame's time for which the shutter is open (half a turn of the disc: common practice, no source); a
#: smear that the band takes in anyway, and how far one is followed, in pixels.
_OPEN, _STILL, _FURTHEST = 0.5, 0.5, 8.0
#: How strongly a change of a matte's area that nothing announced counts as doubt: at 10 % it is worth a look.
_CHANGED = 3.0


class Traced(NamedTuple):
    """A matte on a frame.

    Attributes
    ----------
    label : (h, w) float32
        How likely each pixel is the subject's, at working size.
    cover : (h, w) float32
        Its coverage 0..1.
    doubt : float
        How unsure its outline is, 0..1.
    smeared : (h, w) float32 or None
        How far into it motion drew its edge, in pixels.
    """

    label: Plane
    cover: Plane
    doubt: float
    smeared: Plane | None = None


def step(scene: Scene, before: int, after: int, cover: Plane) -> Traced:
    """The matte on the frame `after`, from that on the frame `before` beside it."""
    then, now = scene.seen(before), scene.seen(after)
    box = box_around(cover > 0.05, AROUND)
    if box is None:
        return Traced(np.zeros_like(cover), np.zeros_like(cover), 0.0)
    moved, unsure = motion(then, now, box)
    part = np.ascontiguousarray(cover[box.slices])
    expected = cv2.remap(part, moved[..., 0], moved[..., 1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    near = (abs(signed_distance(part >= 0.5)) < colours.REACH).astype(np.uint8)
    then_lab = np.ascontiguousarray(then.lab[box.slices])
    windows = colours.learnt(then_lab, _undisputed(scene, then_lab, part), scene.colours, near)
    soft = _carried_soft(scene, before, box, moved)
    return settle(scene, after, box, expected, windows, moved, unsure, soft=soft)


def pass_by(scene: Scene, before: int, after: int, cover: Plane) -> None:
    """Take note of a frame whose matte is there already, as a step over it would have."""
    scene.remember(after, cover)
    box = box_around(cover > 0.05, AROUND)
    if before in scene.soft and box is not None:
        moved, _ = motion(scene.seen(before), scene.seen(after), box)
        soft = _carried_soft(scene, before, box, moved)
        if soft is not None:
            scene.soft[after] = in_whole(soft, box, cover.shape)


def _carried_soft(scene: Scene, before: int, box: Box, moved: NDArray[np.float32]) -> Mask | None:
    soft = scene.soft_at(before, box)
    if soft is None:
        return None
    moved_soft = cv2.remap(soft.astype(np.uint8), moved[..., 0], moved[..., 1], cv2.INTER_NEAREST)
    return np.asarray(moved_soft > 0)


def settle(
    scene: Scene,
    number: int,
    box: Box,
    expected: Plane,
    windows: Windows,
    moved: NDArray[np.float32],
    unsure: Mask,
    brushed: Bytes | None = None,
    soft: Mask | None = None,
) -> Traced:
    """The matte on a frame, from where it is expected and the colours it is expected to have.

    Parameters
    ----------
    expected : (h, w) float32
        Coverage in the box.
    moved : (h, w, 2) float32
        Where each pixel was on the picture `windows` was learnt from, as x and y.
    unsure : (h, w) bool
        Where that is not to be believed.
    brushed : (h, w) uint8 or None
        What strokes say of each pixel.
    soft : (h, w) bool or None
        Where coverage lies between, as it was brushed on a frame before.
    """
    now = scene.seen(number)
    lab = np.ascontiguousarray(now.lab[box.slices])
    inside = signed_distance(expected >= 0.5)
    along = (abs(inside) < _BAND) | (unsure & (abs(inside) < _UNSURE))
    band = along.copy()
    said = np.zeros_like(expected)
    ground = scene.ground(number, box, (inside < _GROWS) & (inside > -_FARTHEST))
    if ground is not None:
        from_ground = evidence.of_ground(lab, ground, inside > 4, (inside < -4) & (inside > -_FARTHEST))
        grown = (from_ground > _AGAINST) & (inside < 0) & (inside > -_GROWS)
        away = np.nonzero((from_ground > _AGAINST) & (inside <= -_GROWS) & (inside > -_FARTHEST))
        grown[away] = _remembered(scene, lab, away) > _FOREIGN
        opened = (from_ground < -_AGAINST) & (inside > 0)
        band |= _without_specks(grown) | _without_specks(opened)
        said += _GROUND * from_ground
    if brushed is not None:
        band &= (brushed != KEEP) & (brushed != DROP)
    rows, columns = np.nonzero(band)
    places: Places = (rows.astype(np.int32), columns.astype(np.int32))
    share, trust = colours.likelihood(windows, lab, places, moved[places])
    local = _NEAR * trust * evidence.odds(share)
    local += (_WHOLE + (_ALONE - _WHOLE) * (1 - trust)) * _remembered(scene, lab, places)
    # Where colours part well, the carried shape is needed less.
    believed = np.where(unsure[places], 0.4, 1.0) * along[places]
    shape = _SHAPE * believed * (1.3 - trust) * np.clip(inside[places], -10, 10)
    said[places] += local + shape
    label = walked(lab, expected, band, said)
    if brushed is None:
        label = _held_together(label, scene.gap)
    else:
        soft = brushed == SOFT
    if soft is not None and soft.any():
        scene.soft[number] = in_whole(soft, box, now.lab.shape)
    found = _finish(scene, number, box, lab, label, band, soft, ground, _smeared(moved))
    if brushed is not None:
        return found
    # What appears or goes in one step may do so rightly, but somebody should look.
    change = abs(float(found.cover.sum()) / max(float(expected.sum()), 1.0) - 1)
    return found._replace(doubt=min(1.0, max(found.doubt, _CHANGED * change)))


def _held_together(label: Plane, gap: float) -> Plane:
    """A matte without parts that lie further from the rest of it than `gap` pixels.

    Somebody who passed close behind the subject in its colours is left behind once he is clear of it.
    """
    inside = (label >= 0.5).astype(np.uint8)
    if cv2.connectedComponents(inside)[0] <= 2:
        return label
    near = (cv2.distanceTransform(1 - inside, cv2.DIST_L2, 3) <= gap / 2).astype(np.uint8)
    count, parts = cv2.connectedComponents(near)
    if count <= 2:
        return label
    sizes = np.bincount(parts.ravel(), weights=inside.ravel(), minlength=count)
    return np.where(parts == sizes.argmax(), label, 0).astype(np.float32)


def _smeared(moved: NDArray[np.float32]) -> Plane:
    """How far into a subject motion draws its edge while the shutter is open, in pixels, from where pixels were."""
    height, width = moved.shape[:2]
    x, y = np.meshgrid(np.arange(width, dtype=np.float32), np.arange(height, dtype=np.float32))
    speed = cv2.blur(np.hypot(moved[..., 0] - x, moved[..., 1] - y), (9, 9))
    return np.clip(_OPEN / 2 * speed - _STILL, 0, _FURTHEST)


def _undisputed(scene: Scene, lab: Bytes, cover: Plane) -> Plane:
    """A matte to learn from: without ground that has the subject's own colours, which may be what was missed of it."""
    if not scene.memory:
        return cover
    said = sum(colours.odds_of(memory, lab) for memory in scene.memory.values()) / len(scene.memory)
    return np.where((cover < 0.1) & (said > _DISPUTED), np.float32(0.5), cover)


def _remembered(scene: Scene, lab: Bytes, places: tuple[NDArray[np.integer[Any]], ...]) -> Plane:
    """What the colours of frames that were brushed on say of some pixels."""
    rows, columns = (part.astype(np.int32) for part in places)
    said = np.zeros(len(rows), np.float32)
    for memory in scene.memory.values():
        share, _ = colours.likelihood(memory, lab, (rows, columns), np.zeros((len(rows), 2), np.float32))
        said += evidence.odds(share) / len(scene.memory)
    return said


def walked(lab: Bytes, expected: Plane, band: Mask, said: Plane) -> Plane:
    """How likely each pixel is the subject's: beyond the band as expected, within it by what speaks for either."""
    known = np.where(band, expected, (expected >= 0.5).astype(np.float32)).astype(np.float32)
    towards, away = np.empty_like(said), np.empty_like(said)
    evidence.pulls(said, towards, away, np.float32(_PULL))
    picture = lab.astype(np.float32)
    steps = np.diff(picture[::2], axis=1)
    mean = float((steps * steps).sum(axis=2).mean()) + 4.0
    return np.clip(walk(known, band, picture, (towards, away), beta=_BETA / mean, little=0.02), 0, 1)


def _finish(
    scene: Scene,
    number: int,
    box: Box,
    lab: Bytes,
    label: Plane,
    band: Mask,
    soft: Mask | None,
    ground: Ground | None,
    inward: Plane,
) -> Traced:
    """The matte of a whole frame, its coverage found along the outline and where it is soft."""
    away = signed_distance(label >= 0.5)
    far = abs(away)
    unknown = ((away >= -scene.band) & (away <= scene.band + inward)) | ((abs(label - 0.5) < 0.4) & (far <= _UNSETTLED))
    if soft is not None:
        unknown |= soft
    cover = soft_cover(lab, label, unknown, ground)
    whole = [np.zeros(scene.seen(number).lab.shape[:2], np.float32) for _ in range(3)]
    for plane, part in zip(whole, (label, cover, inward), strict=True):
        plane[box.slices] = part
    scene.remember(number, whole[1])
    rim = band & (far < 2)
    doubt = float((1 - abs(2 * label[rim] - 1)).mean()) if rim.any() else 0.0
    return Traced(whole[0], whole[1], doubt, whole[2])


def _without_specks(where: Mask) -> Mask:
    return cv2.morphologyEx(where.astype(np.uint8), cv2.MORPH_OPEN, np.ones((3, 3), np.uint8)) > 0


def joined(scene: Scene, number: int, one: Plane, back: Traced, share: float) -> Traced:
    """A matte that was carried to a frame from both sides; `share` 0..1 of it is that carried back."""
    other = back.label
    box = box_around((one > 0.05) | (other > 0.05), AROUND)
    if box is None:
        return Traced(np.zeros_like(one), np.zeros_like(one), 0.0)
    lab = np.ascontiguousarray(scene.seen(number).lab[box.slices])
    first, second = one[box.slices], other[box.slices]
    # Outlines that are a little apart meet between; sure ones count more than unsure ones.
    near = [np.clip(signed_distance(part >= 0.5), -4, 4) + 4 * (2 * part - 1) for part in (first, second)]
    mixed = near[0] + np.float32(share) * (near[1] - near[0])
    label = (1 / (1 + np.exp(-mixed))).astype(np.float32)
    band = abs(signed_distance(label >= 0.5)) < _BAND
    ground = scene.ground(number, box, band)
    inward = np.zeros_like(label) if back.smeared is None else back.smeared[box.slices]
    return _finish(scene, number, box, lab, label, band, scene.soft_at(number, box), ground, inward)
