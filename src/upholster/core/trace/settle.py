"""The matte on a frame from what is expected there: its outline found in the picture, and its coverage."""

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.core.trace import cues, evidence, weighed
from upholster.core.trace.colours import Windows
from upholster.core.trace.cues import FARTHEST, Carried
from upholster.core.trace.geometry import Box, Mask, box_around, in_whole, signed_distance
from upholster.core.trace.painted import DROP, KEEP, SOFT
from upholster.core.trace.plate import Ground
from upholster.core.trace.scene import Scene
from upholster.core.trace.seen import Bytes
from upholster.core.trace.soft import soft_cover
from upholster.core.trace.walk import walk

Plane = NDArray[np.float32]

#: How far around the subject is looked, how wide the band is in which its outline is looked for, and how much wider
#: where motion is unsure, in pixels.
AROUND, _BAND, _UNSURE = 76, 9, 24
#: How far beyond the band new parts may begin, and holes open.
_GROWS = 30
#: Logarithm of the odds from which a residual speaks against what was expected.
_AGAINST = 1.2
#: From which colours far away are none of the ground's; and how much they count beside the residual where it is small.
_FOREIGN, _AIDED, _SMALL = -0.5, 0.5, 0.3
#: From which colours a part that lies apart is the subject's.
_OWN = 1.0
#: How strongly a pixel is drawn by what speaks of it, beside a step between equal neighbours.
_PULL = 0.12
#: How reluctant a walker is, in units of the mean squared step between neighbours.
_BETA = 0.7
#: How far to either side of the outline coverage lies between where the walk was unsure.
_UNSETTLED = 12
#: How deep in a part of which nothing is sure its colours are its own, in pixels.
_CORE = 2
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


def settle(
    scene: Scene,
    number: int,
    box: Box,
    carried: Carried,
    windows: Windows,
    brushed: Bytes | None = None,
    soft: Mask | None = None,
) -> Traced:
    """The matte on a frame, from what is expected there and the colours it is expected to have.

    Parameters
    ----------
    brushed : (h, w) uint8 or None
        What strokes say of each pixel.
    soft : (h, w) bool or None
        Where coverage lies between, as it was brushed on a frame before.
    """
    now = scene.seen(number)
    lab = np.ascontiguousarray(now.lab[box.slices])
    expected, unsure = carried.cover, carried.unsure
    inside = signed_distance(expected >= 0.5)
    along = (abs(inside) < _BAND) | (unsure & (abs(inside) < _UNSURE))
    band = along.copy()
    said = np.zeros_like(expected)
    ground = scene.ground(number, box, (inside < _GROWS) & (inside > -FARTHEST))
    if ground is not None:
        said = evidence.of_ground(lab, ground, inside > 4, (inside < -4) & (inside > -FARTHEST))
        grown = (said > _AGAINST) & (inside < 0) & (inside > -_GROWS)
        away = np.nonzero((said > _SMALL) & (inside <= -_GROWS) & (inside > -FARTHEST))
        grown[away] = _comes_back(said[away], cues.of_memory(scene, lab, away))
        opened = (said < -_AGAINST) & (inside > 0)
        band |= _without_specks(grown) | _without_specks(opened)
    around = cues.around(scene, lab, carried, inside, along, said, ground, windows, brushed)
    more = weighed.corrected(around)
    disputed = (_doubled(around.said + more, expected) > 0) != (expected >= 0.5)
    band |= _without_specks(disputed & (inside > -_GROWS))
    if brushed is not None:
        band &= (brushed != KEEP) & (brushed != DROP)
    places = np.nonzero(band)
    found = cues.of_colours(scene, windows, lab, places, carried.moved[places])
    said[places] += cues.summed(
        found, inside[places], unsure[places].astype(np.float32), along[places].astype(np.float32)
    )
    said[places] += _doubled(more, expected)[places]
    label = walked(lab, expected, band, said)
    if brushed is None:
        label = _held_together(scene, lab, label)
    else:
        soft = brushed == SOFT
    if soft is not None and soft.any():
        scene.soft[number] = in_whole(soft, box, now.lab.shape)
    made = _finish(scene, number, box, lab, label, band, soft, ground, _smeared(carried.moved))
    if brushed is not None:
        return made
    # What appears or goes in one step may do so rightly, but somebody should look.
    change = abs(float(made.cover.sum()) / max(float(expected.sum()), 1.0) - 1)
    return made._replace(doubt=min(1.0, max(made.doubt, _CHANGED * change)))


def _doubled(half: Plane, like: Plane) -> Plane:
    """A plane of half the size at the size of another."""
    return np.asarray(cv2.resize(half, like.shape[::-1], interpolation=cv2.INTER_LINEAR))


def _comes_back(residual: Plane, own: Plane) -> Mask:
    """What may be a part of the subject that was hidden, by the clean plate and the subject's own colours."""
    return (residual + _AIDED * np.maximum(own, 0) > _AGAINST) & (own > _FOREIGN)


def _held_together(scene: Scene, lab: Bytes, label: Plane) -> Plane:
    """A matte without parts that lie further from the rest of it than the scene's gap and are not of its own colours.

    Somebody who passed close behind the subject is left behind once he is clear of it; the subject itself comes out
    on the other side of what it passed behind.
    """
    inside = (label >= 0.5).astype(np.uint8)
    if cv2.connectedComponents(inside)[0] <= 2:
        return label
    near = (cv2.distanceTransform(1 - inside, cv2.DIST_L2, 3) <= scene.gap / 2).astype(np.uint8)
    count, parts = cv2.connectedComponents(near)
    if count <= 2:
        return label
    sizes = np.bincount(parts.ravel(), weights=inside.ravel(), minlength=count)
    kept = sizes == sizes.max()
    for k in np.flatnonzero(~kept[1:]) + 1:
        places = np.nonzero((parts == k) & (inside > 0))
        kept[k] = cues.of_memory(scene, lab, places).mean() > _OWN
    return np.where(kept[parts], label, 0).astype(np.float32)


def _smeared(moved: NDArray[np.float32]) -> Plane:
    """How far into a subject motion draws its edge while the shutter is open, in pixels, from where pixels were."""
    height, width = moved.shape[:2]
    x, y = np.meshgrid(np.arange(width, dtype=np.float32), np.arange(height, dtype=np.float32))
    speed = cv2.blur(np.hypot(moved[..., 0] - x, moved[..., 1] - y), (9, 9))
    return np.clip(_OPEN / 2 * speed - _STILL, 0, _FURTHEST)


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
    unknown &= ~_cores_of_new(label >= 0.5, unknown, away)
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


def _cores_of_new(inside: Mask, unknown: Mask, away: Plane) -> Mask:
    """What lies deep in parts of which nothing is sure, as parts that come out from behind something are at first.

    Their colours would be taken from elsewhere.
    """
    count, parts = cv2.connectedComponents(inside.astype(np.uint8))
    unsure = np.ones(count, np.bool_)
    unsure[np.unique(parts[inside & ~unknown])] = unsure[0] = False
    return np.asarray(unsure[parts] & (away > _CORE))


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
