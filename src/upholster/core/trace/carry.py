"""Carrying a matte from one frame to the next, anchored anew to the picture at every step."""

from collections.abc import Callable
from typing import Any, NamedTuple

import cv2
import numpy as np
from cachetools import LRUCache
from numpy.typing import NDArray

from upholster.core.trace import colours, evidence
from upholster.core.trace.camera import Camera
from upholster.core.trace.colours import Range, Windows
from upholster.core.trace.painted import DROP, KEEP, SOFT
from upholster.core.trace.plate import Ground, Other, clean_plate, others_of
from upholster.core.trace.seen import Bytes, Seen
from upholster.core.trace.soft import soft_cover
from upholster.core.trace.walk import walk

Plane = NDArray[np.float32]
Mask = NDArray[np.bool_]
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
#: Motion that does not come back within so many pixels is unsure.
_COMES_BACK = 1.5
#: Weights of what speaks: colours nearby, colours of the whole, distance from the clean plate, and the carried shape.
_NEAR, _WHOLE, _GROUND, _SHAPE = 1.0, 0.35, 1.0, 0.22
#: Weight of the colours of the whole where those nearby cannot be trusted, and from which odds on they dispute a matte.
_ALONE, _DISPUTED = 1.0, 1.5
#: How strongly a pixel is drawn by what speaks of it, beside a step between equal neighbours.
_PULL = 0.12
#: How reluctant a walker is, in units of the mean squared step between neighbours.
_BETA = 0.7
#: How far to either side of the outline coverage lies between, and how far where the walk was unsure.
_SOFT, _SOFTER = 3, 12
#: Frames on which the subject is remembered.
_REMEMBERED = 64


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
    """

    label: Plane
    cover: Plane
    doubt: float


class Box(NamedTuple):
    """A part of a picture; even, so that it is whole at half the size."""

    left: int
    top: int
    right: int
    bottom: int

    @property
    def slices(self) -> tuple[slice, slice]:
        return slice(self.top, self.bottom), slice(self.left, self.right)

    @property
    def half(self) -> tuple[slice, slice]:
        return slice(self.top // 2, self.bottom // 2), slice(self.left // 2, self.right // 2)


class Scene:
    """The frames of a clip while a subject is traced, and what is known of it so far.

    Parameters
    ----------
    read
        Gives a frame by its number.
    length : int
        How many there are.
    """

    def __init__(self, read: Callable[[int], Seen], length: int) -> None:
        self.seen, self.length = read, length
        self._subjects: LRUCache[int, Bytes] = LRUCache(_REMEMBERED)
        self._camera = Camera(read, self._half)
        #: How often the subject of a frame was noted.
        self._noted: dict[int, int] = {}
        self._whole: LRUCache[tuple[int, ...], Ground] = LRUCache(2)
        self.soft: LRUCache[int, Mask] = LRUCache(_REMEMBERED)
        self.colours: Range | None = None
        self.memory: list[Windows] = []

    def remember(self, number: int, cover: Plane) -> None:
        """Note where the subject is on a frame, with a little around it."""
        mask = (cover > 0.1).astype(np.uint8) * 255
        self._subjects[number] = cv2.dilate(mask, np.ones((11, 11), np.uint8))
        self._noted[number] = self._noted.get(number, 0) + 1

    def soft_at(self, number: int, box: Box) -> Mask | None:
        """Where it was brushed that coverage lies between, as that was carried to a frame."""
        found = self.soft.get(number)
        return None if found is None else found[box.slices]

    def _half(self, number: int) -> Bytes | None:
        mask = self._subjects.get(number)
        return None if mask is None else cv2.resize(mask, self.seen(number).grey.shape[::-1])

    def ground(self, number: int, box: Box, wanted: Mask | None = None) -> Ground | None:
        """The clean plate of a part of a frame, or of what is wanted of it; None for a clip of a few frames."""
        numbers = others_of(number, self.length)
        if len(numbers) < 3:
            return None
        # While a frame is brushed on, the ground of all of it is asked for again and again.
        name = number, *(self._noted.get(other, 0) for other in numbers)
        whole = self._whole.get(name)
        if whole is not None:
            return Ground(*(np.ascontiguousarray(part[box.slices]) for part in whole))
        others = [
            Other(self.seen(other).lab, self._subjects.get(other), self._camera.between(other, number))
            for other in numbers
        ]
        if wanted is not None:
            return clean_plate(others, box.left, box.top, wanted)
        width, height = self.seen(number).size
        whole = self._whole[name] = clean_plate(others, 0, 0, np.ones((height, width), np.bool_))
        return Ground(*(np.ascontiguousarray(part[box.slices]) for part in whole))


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
    windows = colours.learnt(then_lab, _undisputed(scene, then_lab, part), scene.colours or Range.of(then.lab), near)
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
            scene.soft[after] = _in_whole(soft, box, scene.seen(after))


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
    if brushed is not None:
        soft = brushed == SOFT
    if soft is not None and soft.any():
        scene.soft[number] = _in_whole(soft, box, now)
    return _finish(scene, number, box, lab, label, band, soft, ground)


def _undisputed(scene: Scene, lab: Bytes, cover: Plane) -> Plane:
    """A matte to learn from: without ground that has the subject's own colours, which may be what was missed of it."""
    if not scene.memory:
        return cover
    said = sum(colours.odds_of(memory, lab) for memory in scene.memory) / len(scene.memory)
    return np.where((cover < 0.1) & (said > _DISPUTED), np.float32(0.5), cover)


def _remembered(scene: Scene, lab: Bytes, places: tuple[NDArray[np.integer[Any]], ...]) -> Plane:
    """What the colours of frames that were brushed on say of some pixels."""
    rows, columns = (part.astype(np.int32) for part in places)
    said = np.zeros(len(rows), np.float32)
    for memory in scene.memory:
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


def _in_whole(part: Mask, box: Box, frame: Seen) -> Mask:
    whole = np.zeros(frame.lab.shape[:2], np.bool_)
    whole[box.slices] = part
    return whole


def _finish(
    scene: Scene,
    number: int,
    box: Box,
    lab: Bytes,
    label: Plane,
    band: Mask,
    soft: Mask | None,
    ground: Ground | None,
) -> Traced:
    """The matte of a whole frame, its coverage found along the outline and where it is soft."""
    far = abs(signed_distance(label >= 0.5))
    unknown = (far <= _SOFT) | ((abs(label - 0.5) < 0.4) & (far <= _SOFTER))
    if soft is not None:
        unknown |= soft
    cover = soft_cover(lab, label, unknown, ground)
    whole = [np.zeros(scene.seen(number).lab.shape[:2], np.float32) for _ in range(2)]
    for plane, part in zip(whole, (label, cover), strict=True):
        plane[box.slices] = part
    scene.remember(number, whole[1])
    rim = band & (far < 2)
    doubt = float((1 - abs(2 * label[rim] - 1)).mean()) if rim.any() else 0.0
    return Traced(whole[0], whole[1], doubt)


def motion(then: Seen, now: Seen, box: Box) -> tuple[NDArray[np.float32], Mask]:
    """Where each pixel of a box was on the frame before, as x and y in the box, and where that is unsure.

    Notes
    -----
    Dense inverse search (Kroeger et al. 2016, "Fast optical flow using dense inverse search") forth and back at half
    the size.
    """
    one, two = (np.ascontiguousarray(p.grey[box.half]) for p in (then, now))
    search = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_FAST)
    back = search.calc(two, one, None)
    forth = search.calc(one, two, None)
    height, width = one.shape
    x, y = np.meshgrid(np.arange(width, dtype=np.float32), np.arange(height, dtype=np.float32))
    returned = back + cv2.remap(forth, x + back[..., 0], y + back[..., 1], cv2.INTER_LINEAR)
    unsure = (np.hypot(returned[..., 0], returned[..., 1]) > _COMES_BACK / 2).astype(np.uint8)
    size = (box.right - box.left, box.bottom - box.top)
    moved = 2 * cv2.resize(back, size, interpolation=cv2.INTER_LINEAR)
    x, y = np.meshgrid(np.arange(size[0], dtype=np.float32), np.arange(size[1], dtype=np.float32))
    moved += np.dstack([x, y])
    wide = cv2.dilate(cv2.resize(unsure, size, interpolation=cv2.INTER_NEAREST), np.ones((5, 5), np.uint8))
    return moved, wide > 0


def signed_distance(inside: Mask) -> Plane:
    """Distance to the outline in pixels, ``(h, w)`` float32: above 0 inside, below outside."""
    mask = inside.astype(np.uint8)
    within = cv2.distanceTransform(mask, cv2.DIST_L2, 3)
    without = cv2.distanceTransform(1 - mask, cv2.DIST_L2, 3)
    return np.asarray(np.where(inside, within - 0.5, 0.5 - without), np.float32)


def box_around(where: Mask, margin: int) -> Box | None:
    """The part of a picture around what is not 0; None where all is."""
    left, top, width, height = cv2.boundingRect(where.astype(np.uint8))
    if not width:
        return None
    right, bottom = min(where.shape[1], left + width + margin), min(where.shape[0], top + height + margin)
    left, top = max(0, left - margin) // 2 * 2, max(0, top - margin) // 2 * 2
    return Box(left, top, left + (right - left) // 2 * 2, top + (bottom - top) // 2 * 2)


def _without_specks(where: Mask) -> Mask:
    return cv2.morphologyEx(where.astype(np.uint8), cv2.MORPH_OPEN, np.ones((3, 3), np.uint8)) > 0


def joined(scene: Scene, number: int, one: Plane, other: Plane, share: float) -> Traced:
    """A matte that was carried to a frame from both sides; `share` 0..1 of it is the other's."""
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
    return _finish(scene, number, box, lab, label, band, scene.soft_at(number, box), ground)
