"""Spill: the screen's light left in solid parts."""

import cv2
import numpy as np

from upholster.core.findings.moved import Moved
from upholster.core.findings.rim import Rim
from upholster.core.findings.seen import SOLID, Codes, Seen

#: Light from the screen is looked for down to so far from the edge, against what lies deeper, within so far around.
_RIM, _DEEP, _AROUND = 12.0, 18.0, 60.0
#: How far along the edge it is averaged.
_ALONG = 20.0
#: What is less than this share of the screen's strength is nobody's to see.
_LEAST = 0.03
#: How much of what the colours below differ from each other is no spill either.
_ROUGH = 0.5
#: How much more of the screen's hue than of any other it has.
_PURE = 1.0
#: How far beyond grey, away from the screen's hue, light from it may still show on a part that was coloured.
_GREY = 0.2


def spill(here: Seen, beside: list[Moved]) -> Codes:
    """At half the size: how much of the screen's hue lies on each solid pixel, as a difference of encoded colour.

    0..255 for 0..1. Light from the screen comes from around, fades inward, and adds its own hue to whatever is there;
    the subject's own colours go on below the rim. What is nowhere deep enough to tell is left alone.
    """
    strength = here.hue[2]
    if not strength:
        return np.zeros_like(here.half_codes)
    solid = here.half_codes >= SOLID
    edge = solid & (here.depth < _RIM * here.unit)
    core = solid & (here.depth > _DEEP * here.unit)
    rim = Rim(
        edge.astype(np.float32),
        core.astype(np.float32),
        _ALONG * here.unit / 2,
        _AROUND * here.unit / 2,
        _AROUND * here.unit / 2,
    )
    tinted = rim.tinted(here, pure=_PURE, rough=_ROUGH, grey=_GREY)
    light = tinted * np.maximum(here.luma, np.float32(0.1)) - np.float32(_LEAST)
    lit = edge & rim.known & (light > 0)
    return cv2.convertScaleAbs(np.where(lit, light, 0), alpha=255 * 2 * strength).astype(np.uint8, copy=False)
