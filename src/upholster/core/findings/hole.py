"""Holes: clear or half-clear places inside the solid part."""

import cv2
import numpy as np

from upholster.core.findings.moved import Moved
from upholster.core.findings.seen import SOLID, Codes, Mask, Seen, disc, square

#: Coverage, as a code, up to which what has the screen's colour is a gap.
_GAP = 100
#: What is narrower than this is no glass.
_NARROW = 24.0
#: How wide the soft edge of a real gap, and of the outline, may be.
_SOFT, _RIM = 5.0, 4.0
#: How fast a thing moves before all of it may be smeared.
_FAST = 24.0


def hole(here: Seen, beside: list[Moved]) -> Codes:
    """How much is missing of each pixel of the solid part, as seen over the worst ground; 0..255 for 0..1.

    The solid part is what is solid, its holes filled. A gap through which the screen itself is seen is none, nor what
    lies among hair, nor what the subject's own motion smears.
    """
    if here.glow or here.clean is None:
        return np.zeros_like(here.codes)
    inside = _inside(here)
    if beside:
        # Where things move fast, as much of an edge is half covered as they move while the shutter is open.
        speed = np.max([m.speed for m in beside], axis=0)
        inside &= here.depth + 2 > np.minimum(speed, _FAST * here.unit)
    if here.veils:
        # What is see-through on purpose is wide, and was so a frame before and after.
        small = cv2.morphologyEx(here.half_codes, cv2.MORPH_CLOSE, disc(_NARROW * here.unit / 2)) >= SOLID
        inside &= np.max([small, *(m.codes >= SOLID for m in beside)], axis=0)
    missing = here.whole(inside) & (here.codes < SOLID - 8)
    return here.seen(np.where(missing, 255 - here.codes, np.uint8(0)))


def _inside(here: Seen) -> Mask:
    """At half the size: the solid part with its holes filled, without real gaps, thin things and its soft rim."""
    unit = here.unit / 2
    solid = (here.half_codes >= SOLID).view(np.uint8)
    contours, _ = cv2.findContours(solid, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    filled = cv2.drawContours(np.zeros_like(solid), contours, -1, 1, cv2.FILLED)
    rim = cv2.erode(filled, square(2 * _RIM * unit), borderType=cv2.BORDER_REPLICATE)
    gaps = ((here.half_codes <= _GAP) & here.like_screen).view(np.uint8)
    return (rim > 0) & (cv2.dilate(gaps, square(2 * _SOFT * unit)) == 0) & ~here.thin
