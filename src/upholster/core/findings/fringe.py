"""Fringe: the screen's hue left in the rim, or a rim darker or lighter than what it goes round."""

import cv2
import numpy as np

from upholster.core.findings.moved import Moved
from upholster.core.findings.rim import Rim
from upholster.core.findings.seen import CLEAR, Codes, Seen, halved, square

#: How deep below the edge the subject's own colour is looked for, down to where; within how far a rim has any.
_DEEP, _DOWN, _REACH = 3.0, 9.0, 8.0
#: Sides of the squares in which both are compared, and in which that is averaged.
_ACROSS, _ALONG = 18.0, 48.0
#: How much of what the differences vary along the rim is no fringe either.
_ROUGH = 0.8
#: More of the screen's hue than below, as a share of its strength, that a rim may have of its own.
_HUE = 0.2
#: Luma that a rim may differ by where the plate has it so.
_LUMA = 0.28
#: What luma it may have been made to have, and how much it may differ by then.
_MADE, _MADE_LUMA = 0.03, 0.025
#: What luma it may have been made to have where nothing lies below to compare with, as in hair.
_MADE_ALONE = 0.12
#: How far coverage may be from what the plate says of it there: further off, it is coverage that is wrong, not colour.
_COVER = 0.25


def fringe(here: Seen, beside: list[Moved]) -> Codes:
    """At half the size: how far the rim's colour is from what it goes round, averaged along it; 0..255 for 0..1.

    A subject may be darker or lighter at its rim by itself: the plate has it so, too. Where result and clean plate
    together are another picture than the plate, it was made so, and less of it is a fringe.
    """
    if here.clean is None or here.glow:
        return np.zeros_like(here.half_codes)
    unit = here.unit / 2
    core = cv2.erode(here.half_solid, square(2 * _DEEP * unit), borderType=cv2.BORDER_REPLICATE)
    edge = (here.half_codes > 2 * CLEAR) & (core == 0)
    if not edge.any():
        return np.zeros_like(here.half_codes)
    below = core & ~cv2.erode(core, square(2 * (_DOWN - _DEEP) * unit), borderType=cv2.BORDER_REPLICATE)
    cover = here.half_cover
    weight = np.where(edge, cover, np.float32(0))
    rim = Rim(weight, below.astype(np.float32), _ACROSS * unit, _ALONG * unit)
    lighter, made = rim.departs(here.luma), rim.departs(here.removed.luma).away
    differs = np.abs(lighter.away) - np.float32(_ROUGH) * lighter.rough
    made_so = np.sign(lighter.away) * made < -np.float32(_MADE)
    told = np.where(made_so, differs > np.float32(_MADE_LUMA), differs > np.float32(_LUMA))
    wrong = np.where(told, np.abs(lighter.away), 0)
    if here.hue[2]:
        hued, other = rim.departs(here.screen_light), rim.departs(here.other_light)
        tinted = hued.away - np.abs(other.away) - np.float32(_ROUGH) * hued.rough > np.float32(_HUE)
        wrong = np.maximum(wrong, np.where(tinted, hued.away, 0) * np.float32(2 * here.hue[2]))
    alone = np.abs(rim.mean(here.removed.luma * cover))
    right = np.abs(halved(here.unexplained.astype(np.float32)) - 128) < 255 / 2 * _COVER
    alone = np.where(right & (alone > np.float32(_MADE_ALONE)), alone, 0)
    near = halved(cv2.dilate(core, square(2 * _REACH * unit)).astype(np.float32)) > 0
    wrong = np.asarray(np.where(rim.known & near, wrong, alone), np.float32)
    wrong = np.where(edge, cv2.resize(wrong, here.half) * np.sqrt(weight), 0)
    return cv2.convertScaleAbs(np.clip(wrong, 0, 1), alpha=255).astype(np.uint8, copy=False)
