"""Haze: faint coverage left on the ground, and dirty places."""

import cv2
import numpy as np

from upholster.core.findings.moved import Moved
from upholster.core.findings.seen import Codes, Mask, Seen, square

#: Nearer to the subject than this, what is faintly covered is its soft edge.
_EDGE = 14.0
#: What is this large and has nothing of the screen's colour is a thing of its own, not dirt; a share of the picture.
_LARGE = 0.02
#: Coverage that makes a thing of what is covered around it: as codes, of what it is made, and what it reaches.
_PARTS, _REACHES = 50, 180


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
        # Thin light and ink end in nothing of their own accord; only what is not joined to them is left over.
        far = (here.away > edge) & ~_joined(here.half_codes > 4, here.half_codes > 127)
    else:
        shaded = here.like_screen & (here.half_codes < 128) & (here.away > edge / 2)
        far = ((here.away > edge) | shaded) & ~_things(here)
    return np.where(here.whole(far) & (here.codes > 4), here.codes, np.uint8(0))


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
