"""How far the pixels of a frame are covered, once it is found which are the subject's."""

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.core.trace import fine
from upholster.core.trace.geometry import Box, Mask, signed_distance
from upholster.core.trace.plate import Ground
from upholster.core.trace.scene import Scene
from upholster.core.trace.seen import Bytes
from upholster.core.trace.soft import sides_of, soft_cover

Plane = NDArray[np.float32]

#: How far to either side of the outline coverage lies between where the walk was unsure.
_UNSETTLED = 12
#: How deep in a part of which nothing is sure its colours are its own, in pixels.
_CORE = 2
#: Share of a frame's time for which the shutter is open (half a turn of the disc: common practice, no source); a
#: smear that the band takes in anyway, and how far one is followed, in pixels.
_OPEN, _STILL, _FURTHEST = 0.5, 0.5, 8.0


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
    said : (h / 2, w / 2) float32 or None
        Logarithm of the odds by all that spoke of it.
    """

    label: Plane
    cover: Plane
    doubt: float
    smeared: Plane | None = None
    said: Plane | None = None


class Found(NamedTuple):
    """What was found on a part of a frame.

    Attributes
    ----------
    lab : (h, w, 3) uint8
        The picture.
    label : (h, w) float32
        How likely each pixel is the subject's.
    band : (h, w) bool
        Where that was looked for.
    ground : Ground or None
        What is behind, where the rest of the clip shows it.
    said : (h / 2, w / 2) float32
        Logarithm of the odds by all that spoke of it.
    expected : (h, w) float32
        The coverage it was expected to have.
    inward : (h, w) float32
        How far into the subject motion drew its edge, in pixels.
    soft, sure : (h, w) bool or None
        Where it was brushed that coverage lies between, and what it is.
    """

    lab: Bytes
    label: Plane
    band: Mask
    ground: Ground | None
    said: Plane
    expected: Plane
    inward: Plane
    soft: Mask | None = None
    sure: Mask | None = None


def covered(scene: Scene, number: int, box: Box, found: Found) -> Traced:
    """The matte of a whole frame, its coverage found along the outline and where it is soft."""
    label = found.label
    away = signed_distance(label >= 0.5)
    far = abs(away)
    unknown = (away >= -scene.band) & (away <= scene.band + found.inward)
    unknown |= (abs(label - 0.5) < 0.4) & (far <= _UNSETTLED)
    unknown &= ~_cores_of_new(label >= 0.5, unknown, away)
    if found.soft is not None:
        unknown |= found.soft
    sides = sides_of(found.lab, label, unknown, found.ground)
    cover = soft_cover(found.lab, label, unknown, sides)
    known = fine.Known(found.lab, label, cover, sides, found.ground, found.said, found.expected)
    told = [mask for mask in (found.soft, found.sure) if mask is not None]
    cover = fine.corrected(known, away, np.logical_or.reduce(told) if told else None)
    height, width = scene.seen(number).lab.shape[:2]
    whole = [np.zeros((height, width), np.float32) for _ in range(3)]
    for plane, part in zip(whole, (label, cover, found.inward), strict=True):
        plane[box.slices] = part
    said = np.zeros((height // 2, width // 2), np.float32)
    said[box.half] = found.said
    scene.remember(number, whole[1])
    rim = found.band & (far < 2)
    doubt = float((1 - abs(2 * label[rim] - 1)).mean()) if rim.any() else 0.0
    return Traced(whole[0], whole[1], doubt, whole[2], said)


def smeared(moved: NDArray[np.float32]) -> Plane:
    """How far into a subject motion draws its edge while the shutter is open, in pixels, from where pixels were."""
    height, width = moved.shape[:2]
    x, y = np.meshgrid(np.arange(width, dtype=np.float32), np.arange(height, dtype=np.float32))
    speed = cv2.blur(np.hypot(moved[..., 0] - x, moved[..., 1] - y), (9, 9))
    return np.clip(_OPEN / 2 * speed - _STILL, 0, _FURTHEST)


def _cores_of_new(inside: Mask, unknown: Mask, away: Plane) -> Mask:
    """What lies deep in parts of which nothing is sure, as parts that come out from behind something are at first.

    Their colours would be taken from elsewhere.
    """
    count, parts = cv2.connectedComponents(inside.astype(np.uint8))
    unsure = np.ones(count, np.bool_)
    unsure[np.unique(parts[inside & ~unknown])] = unsure[0] = False
    return np.asarray(unsure[parts] & (away > _CORE))
