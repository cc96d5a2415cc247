"""Holes: clear or half-clear places inside the solid part."""

import cv2
import numpy as np

from upholster.core.findings.moved import Moved
from upholster.core.findings.seen import SOLID, Codes, Mask, Plane, Seen, disc, square

#: Coverage, as a code, up to which what has the screen's colour is a gap.
_GAP = 100
#: What is narrower than this is no glass.
_NARROW = 24.0
#: How wide the soft edge of a real gap, and of the outline, may be.
_SOFT, _RIM = 5.0, 4.0
#: How far around the subject's colours are looked for, how wide a hole or a bite may be, and how much of what is
#: missing the screen has to leave unexplained.
_AROUND, _BITE, _UNEXPLAINED = 60.0, 24.0, 0.2
#: What the screen explains is a hole where it is wider than this.
_SLIT = 8.0
#: How fast a thing moves before all of it may be smeared.
_FAST = 24.0


def hole(here: Seen, beside: list[Moved]) -> Codes:
    """How much is missing of each pixel of the solid part, as seen over the worst ground; 0..255 for 0..1.

    The solid part is what is solid, its holes filled. A gap through which the screen itself is seen is none, nor what
    lies among hair, nor what the subject's own motion smears; but wherever more is missing than the plate has of the
    screen's colour there, it is a hole, among hair as well.
    """
    if here.glow or here.clean is None:
        return np.zeros_like(here.codes)
    filled = _filled(here)
    inside = _inside(here, filled)
    if beside:
        # Where things move fast, as much of an edge is half covered as they move while the shutter is open.
        speed = np.max([m.speed for m in beside], axis=0)
        deep = np.maximum(cv2.distanceTransform(filled, cv2.DIST_L2, 3), here.depth / 2)
        inside &= deep + 1 > np.minimum(speed, _FAST * here.unit) / 2
    if here.veils:
        # What is see-through on purpose is wide, and was so a frame before and after.
        small = cv2.morphologyEx(here.half_codes, cv2.MORPH_CLOSE, disc(_NARROW * here.unit / 2)) >= SOLID
        inside &= np.max([small, *(m.codes >= SOLID for m in beside)], axis=0)
    if here.hue[2]:
        gone = _unexplained(here)
        # A slit, and what lies among hair or is blurred, is as faint as the screen in it explains, and narrow.
        dips = (inside & (here.half_codes < SOLID - 8)).view(np.uint8)
        inside &= (gone > 0) | (cv2.morphologyEx(dips, cv2.MORPH_OPEN, square(_SLIT * here.unit / 2)) > 0)
        inside |= _within(here) & (gone > np.float32(_UNEXPLAINED)) & ~here.like_screen
    missing = here.whole(inside) & (here.codes < SOLID - 8)
    return here.seen(np.where(missing, 255 - here.codes, np.uint8(0)))


def _within(here: Seen) -> Mask:
    """At half the size: what has something solid on both sides of it, not far away. A mark on the screen has not."""
    return cv2.morphologyEx(here.half_solid, cv2.MORPH_CLOSE, square(_BITE * here.unit / 2)) > 0


def _unexplained(here: Seen) -> Plane:
    """At half the size: how much more of the screen is let through than there is of its colour on the plate.

    Of a half-covered pixel ``C = a F + (1 - a) B`` the share of B in C is ``a f + 1 - a`` where F has a share f of it;
    no F has less than the least of what is solid nearby. Whatever hangs over the screen, hair or blur, keeps to that.
    """
    opposite = cv2.convertScaleAbs(np.minimum(here.share, np.float32(0)), alpha=255) * here.half_solid
    least = cv2.dilate(opposite, square(_AROUND * here.unit / 2)) * np.float32(1 / 255)
    # Chroma is coarser than luma, in front of the camera and in the file.
    share = cv2.dilate(here.share, square(2))
    gone = 1 - here.half_raw * np.float32(1 / 255) - (share + least) / (1 + least)
    return cv2.blur(gone, (3, 3)).astype(np.float32, copy=False)


def _filled(here: Seen) -> Codes:
    """At half the size: 1 in the solid part with its holes filled."""
    contours, _ = cv2.findContours(here.half_solid, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    return cv2.drawContours(np.zeros_like(here.half_solid), contours, -1, 1, cv2.FILLED).astype(np.uint8, copy=False)


def _inside(here: Seen, filled: Codes) -> Mask:
    """At half the size: what is filled, without real gaps, thin things and its soft rim."""
    unit = here.unit / 2
    rim = cv2.erode(filled, square(2 * _RIM * unit), borderType=cv2.BORDER_REPLICATE)
    gaps = ((here.half_codes <= _GAP) & here.like_screen).view(np.uint8)
    return (rim > 0) & (cv2.dilate(gaps, square(2 * _SOFT * unit)) == 0) & ~here.thin
