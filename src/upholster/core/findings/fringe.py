"""Fringe: the screen's hue left in the rim, or a rim darker or lighter than what it goes round."""

import cv2
import numpy as np

from upholster.core.findings.moved import Moved
from upholster.core.findings.rim import Rim
from upholster.core.findings.seen import CLEAR, Codes, Seen, square

#: How deep below the edge the subject's own colour is looked for, down to where, and how far along it is averaged.
_DEEP, _DOWN, _ALONG = 3.0, 9.0, 24.0
#: Hue, as a share of the screen's strength, and luma that a rim may have of its own.
_HUE, _LUMA = 0.06, 0.08
#: How much of what colours below differ from each other is no fringe either.
_ROUGH = 0.8
#: How far beyond grey, away from the screen's hue, a rim of it may be.
_GREY = 0.1


def fringe(here: Seen, beside: list[Moved]) -> Codes:
    """At half the size: how far the rim's colour is from what it goes round, averaged along it; 0..255 for 0..1.

    Only what is more than the colours below differ from each other counts.
    """
    nothing = np.zeros_like(here.half_codes)
    if here.clean is None or here.glow:
        return nothing
    unit = here.unit / 2
    core = cv2.erode(here.half_solid, square(2 * _DEEP * unit), borderType=cv2.BORDER_REPLICATE)
    near = cv2.dilate(core, square(2 * (_DEEP + 5) * unit)) > 0
    edge = (here.half_codes > 2 * CLEAR) & (core == 0) & near
    if not edge.any():
        return nothing
    below = core & ~cv2.erode(core, square(2 * (_DOWN - _DEEP) * unit), borderType=cv2.BORDER_REPLICATE)
    weight = np.where(edge, here.half_codes, np.uint8(0)).astype(np.float32) / np.float32(255)
    rim = Rim(weight, below.astype(np.float32), _ALONG * unit, 2 * _DOWN * unit, 4 * _DOWN * unit)
    lighter = rim.departs(here.luma)
    wrong = (np.abs(lighter.away) - np.float32(_LUMA) - np.float32(_ROUGH) * lighter.rough) / 2
    if here.hue[2]:
        hued = rim.tinted(here, pure=1.0, rough=_ROUGH, grey=_GREY) * np.maximum(
            here.luma, np.float32(0.1)
        ) - np.float32(_HUE)
        wrong = np.maximum(wrong, hued * np.float32(2 * here.hue[2]))
    wrong = np.where(edge & rim.known & (wrong > 0), wrong * np.sqrt(weight), 0)
    return cv2.convertScaleAbs(wrong, alpha=255).astype(np.uint8, copy=False)
