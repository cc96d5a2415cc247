"""The matte on a frame from what is expected there: its outline found in the picture."""

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.core.trace import cues, evidence, weighed
from upholster.core.trace.colours import Windows
from upholster.core.trace.cues import FARTHEST, Carried
from upholster.core.trace.geometry import Box, Mask, box_around, in_whole, signed_distance
from upholster.core.trace.outline import Found, Traced, covered, smeared
from upholster.core.trace.painted import DROP, KEEP, SOFT
from upholster.core.trace.scene import Scene
from upholster.core.trace.seen import Bytes
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
#: How strongly a change of a matte's area that nothing announced counts as doubt: at 10 % it is worth a look.
_CHANGED = 3.0


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
    sure = None
    if brushed is not None:
        sure = (brushed == KEEP) | (brushed == DROP)
        band &= ~sure
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
    outline = Found(lab, label, band, ground, around.said + more, expected, smeared(carried.moved), soft, sure)
    made = covered(scene, number, box, outline)
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


def walked(lab: Bytes, expected: Plane, band: Mask, said: Plane) -> Plane:
    """How likely each pixel is the subject's: beyond the band as expected, within it by what speaks for either."""
    known = np.where(band, expected, (expected >= 0.5).astype(np.float32)).astype(np.float32)
    towards, away = np.empty_like(said), np.empty_like(said)
    evidence.pulls(said, towards, away, np.float32(_PULL))
    picture = lab.astype(np.float32)
    steps = np.diff(picture[::2], axis=1)
    mean = float((steps * steps).sum(axis=2).mean()) + 4.0
    return np.clip(walk(known, band, picture, (towards, away), beta=_BETA / mean, little=0.02), 0, 1)


def _without_specks(where: Mask) -> Mask:
    return cv2.morphologyEx(where.astype(np.uint8), cv2.MORPH_OPEN, np.ones((3, 3), np.uint8)) > 0


def joined(scene: Scene, number: int, label: Plane, cover: Plane, back: Traced, share: float) -> Traced:
    """A matte that was carried to a frame from both sides; `share` 0..1 of it is that carried back.

    Parameters
    ----------
    label, cover : (h, w) float32
        As it was carried forth: how likely each pixel is the subject's, and its coverage.
    """
    box = box_around((label > 0.05) | (back.label > 0.05), AROUND)
    if box is None:
        return Traced(np.zeros_like(label), np.zeros_like(label), 0.0)
    part, weight = box.slices, np.float32(share)
    lab = np.ascontiguousarray(scene.seen(number).lab[part])
    between = _between(label[part], back.label[part], weight)
    inside = signed_distance(between >= 0.5)
    band = abs(inside) < _BAND
    ground = scene.ground(number, box, (inside < _GROWS) & (inside > -FARTHEST))
    expected = cover[part] + weight * (back.cover[part] - cover[part])
    inward = np.zeros_like(between) if back.smeared is None else back.smeared[part]
    said = (
        np.zeros((between.shape[0] // 2, between.shape[1] // 2), np.float32)
        if back.said is None
        else back.said[box.half]
    )
    soft = scene.soft_at(number, box)
    return covered(scene, number, box, Found(lab, between, band, ground, said, expected, inward, soft))


def _between(first: Plane, second: Plane, share: np.float32) -> Plane:
    """How likely each pixel is the subject's, by two labels of which the second counts for `share`, 0..1."""
    # Outlines that are a little apart meet between; sure ones count more than unsure ones.
    near = [np.clip(signed_distance(part >= 0.5), -4, 4) + 4 * (2 * part - 1) for part in (first, second)]
    mixed = 1 / (1 + np.exp(-(near[0] + share * (near[1] - near[0]))))
    # Where both are on one side, what is less than sure stays so: strands have no outline that could meet another.
    apart = (first >= 0.5) != (second >= 0.5)
    return np.where(apart, mixed, first + share * (second - first)).astype(np.float32)
