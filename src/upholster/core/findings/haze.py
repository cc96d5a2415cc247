"""Haze: faint coverage left on the ground, and dirty places."""

import cv2
import numpy as np

from upholster.core.findings.moved import Moved
from upholster.core.findings.seen import Codes, Mask, Plane, Seen, luma_of, square

#: Nearer to the subject than this, what is faintly covered is its soft edge.
_EDGE = 14.0
#: What is this large and has nothing of the screen's colour is a thing of its own, not dirt; a share of the picture.
_LARGE = 0.02
#: Coverage that makes a thing of what is covered around it: as codes, of what it is made, and what it reaches.
_PARTS, _REACHES = 50, 180
#: Share of the most that light or ink covers on a frame, from which it is sure to be some, however thin it is.
_THINNEST = 0.5
#: How much more coverage than the plate's own light makes is none of its own: as a factor, and what grain adds.
_MORE, _GRAIN = 5.0, 0.03
#: How much coverage changes from frame to frame that lies on the ground, and pixels over which its grain is averaged.
_CHANGES, _LEVEL = 0.04, 12.0
#: How far wisps are from each other, in pixels.
_WISPS = 60.0


def haze(here: Seen, beside: list[Moved]) -> Codes:
    """How much of each pixel of the ground is covered though nothing is there; 0..255 for 0..1.

    Nearer to the subject, only what has the screen's own hue counts: a shadow, never hair or a blurred hand.
    """
    if here.clean is None or not (here.codes > 4).any():
        return np.zeros_like(here.codes)
    edge = np.full(here.away.shape, np.float32(_EDGE * here.unit))
    if beside:
        edge += np.max([m.speed for m in beside], axis=0)
    if here.glow:
        # Thin light and ink end in nothing of their own accord, and wisps come off them: only what is not joined to
        # them is left over.
        covered, sure = here.half_codes > 4, here.half_codes > min(127.0, _THINNEST * float(here.half_codes.max()))
        near = cv2.dilate(covered.view(np.uint8), square(_WISPS * here.unit / 2)) > 0
        left = _unlit(here) & ~_joined(covered, sure) | _stays(here, beside) & ~_joined(near, sure)
        far = (here.away > edge) & left
    else:
        shaded = here.like_screen & (here.half_codes < 128) & (here.away > edge / 2)
        far = ((here.away > edge) | shaded) & ~_things(here)
    return np.where(here.whole(far) & (here.codes > 4), here.codes, np.uint8(0))


def _unlit(here: Seen) -> Mask:
    """At half the size: what is covered more than the plate's own light, or lack of light, makes it."""
    assert here.clean is not None
    ground = np.stack([cv2.resize(c, here.half) for c in here.clean])
    away, most = here.half_plate - ground, 1 - ground
    if luma_of(here.clean).mean() > 0.5:
        away, most = -away, ground
    own = (away / np.maximum(most, np.float32(1e-3))).max(axis=0)
    return here.half_cover > np.float32(_MORE) * own.clip(0, 1) + np.float32(_GRAIN)


def _stays(here: Seen, beside: list[Moved]) -> Mask:
    """At half the size: what covers the same place as much on a frame beside. Sparks and smoke move on."""
    width = square(_LEVEL * here.unit / 2)

    def level(codes: Codes) -> Plane:
        return cv2.blur(codes, width.shape).astype(np.float32)

    own = level(here.half_codes)
    apart = [np.abs(level(m.still) - own) for m in beside]
    if not apart:
        return np.ones(own.shape, bool)
    there = np.any([a < np.float32(_CHANGES) * own for a in apart], axis=0)
    # What passes is now and then as bright as what was there, along a line.
    return cv2.morphologyEx(there.view(np.uint8), cv2.MORPH_OPEN, width) > 0


def _joined(covered: Mask, sure: Mask) -> Mask:
    """The parts of what is covered that hold a pixel that is sure."""
    count, labels = cv2.connectedComponents(covered.view(np.uint8), connectivity=8)
    there = np.bincount(labels[sure], minlength=count) > 0
    there[0] = False
    return there[labels]


def _things(here: Seen) -> Mask:
    """At half the size: what is thin or faint, but there, with its soft edge: rods, wires, gauze."""
    covered = (here.half_codes > _PARTS).view(np.uint8)
    count, labels, sizes, _ = cv2.connectedComponentsWithStats(covered, connectivity=8)
    reaches = np.bincount(labels[here.half_codes > _REACHES], minlength=count)
    unlike = np.bincount(labels[~here.like_screen & (covered > 0)], minlength=count)
    there = (reaches >= 6) | (unlike >= _LARGE * covered.size)
    there[0] = False
    things = cv2.dilate(there[labels].view(np.uint8), square(_EDGE * here.unit))
    if here.veils:
        # What is seen through glass lies within its outline.
        outlines, _ = cv2.findContours(things, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
        things = cv2.drawContours(things, outlines, -1, 1, cv2.FILLED)
    return (things > 0) | here.thin
