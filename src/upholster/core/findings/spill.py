"""Spill: the screen's light left in solid parts."""

import cv2
import numpy as np

from upholster.core.findings.moved import Moved
from upholster.core.findings.rim import Rim, inverse, mean
from upholster.core.findings.seen import Codes, Mask, Plane, Seen, halved

#: Light from the screen is looked for down to so far from the edge, against what lies from so deep down to there.
_RIM, _DEEP, _DOWN = 16.0, 20.0, 44.0
#: Sides of the squares in which they are compared, and in which that is averaged.
_ACROSS, _ALONG = 44.0, 70.0
#: Most that a step from one pixel of a picture 960 wide to the next counts, as a share of the screen's strength: where
#: parts of different colours meet it is more, and says nothing.
_STEP = 0.0015
#: Step inward, on average, from which it is light that fades; where so much was taken at most, and where more was.
_FADES, _FADES_TAKEN, _TAKEN = 0.0005, 0.00065, 0.05
#: What is less than this share of the screen's strength is nobody's to see.
_LEAST = 0.04
#: How much of what other hues change inward is taken off.
_PURE = 0.5
#: Pixels over which light that is known by its steps alone is taken to fade.
_OVER = 120.0
#: Share of a square that has to be solid to tell.
_TELLS = 0.05


def spill(here: Seen, beside: list[Moved]) -> Codes:
    """At half the size: how much of the screen's hue lies on each solid pixel, as a difference of encoded colour.

    0..255 for 0..1. Light from the screen comes from around, fades inward, and adds its own hue to whatever is there;
    the subject's own colours go on below the rim. What is nowhere deep enough to tell is left alone.
    """
    strength = here.hue[2]
    if not strength:
        return np.zeros_like(here.half_codes)
    unit = here.unit / 2
    solid = here.half_solid > 0
    edge = solid & (here.depth < _RIM * here.unit)
    core = solid & (here.depth > _DEEP * here.unit) & (here.depth < _DOWN * here.unit)
    rim = Rim(edge.astype(np.float32), core.astype(np.float32), _ACROSS * unit, _ALONG * unit)
    fades, known = _fading(here)
    least = np.where(rim.mean(here.removed.hued) < np.float32(_TAKEN), np.float32(_FADES), np.float32(_FADES_TAKEN))
    more = rim.departs(here.screen_light)
    # Where colours differ along the edge, their mean says little, and the steps say it.
    much = ~rim.known | (more.away + more.rough > np.float32(_LEAST))
    told = known & much & (fades > least)
    lit = np.asarray(np.where(told, np.maximum(more.away, fades * np.float32(_OVER)), 0), np.float32)
    lit = np.where(edge, cv2.resize(lit, here.half), 0)
    return cv2.convertScaleAbs(lit, alpha=255 * 2 * strength).astype(np.uint8, copy=False)


def _fading(here: Seen) -> tuple[Plane, Mask]:
    """How much of the screen's light goes with each pixel inward, on average around; and where that is known.

    At a quarter of the picture's size, as a `Rim` gives it. Steps are cut at a small one before they are averaged, as
    Huber's estimator does with what lies far out (Huber 1964, "Robust estimation of a location parameter"): a seam or
    a pattern has few large ones, light has small ones everywhere. What only changes with the subject's own light and
    shade is none.
    """
    x, y = _sobel(cv2.blur(here.depth, (5, 5)))
    length = np.maximum(np.hypot(x, y), np.float32(1e-3))
    inner = cv2.erode(here.half_solid, np.ones((3, 3), np.uint8), borderType=cv2.BORDER_REPLICATE) > 0
    counts = (inner & (here.depth < _DOWN * here.unit)).astype(np.float32)
    # Sobel's sum of a ramp of one is eight; a pixel of half the size is two.
    x, y = x * counts / (16 * length), y * counts / (16 * length)
    most = np.float32(_STEP / here.unit)

    def around(values: Plane) -> Plane:
        return mean(halved(values), _ALONG * here.unit / 4)

    mass = around(counts)
    per = inverse(mass)

    def inward(values: Plane) -> Plane:
        across, down = _sobel(values)
        step = np.clip(-(across * x + down * y), -most, most)
        return np.asarray(around(step) * per * np.float32(here.unit), np.float32)

    bright = cv2.resize(around(here.luma * counts) * per, here.half)
    own, pure = inward(here.screen_light), inward(np.asarray(here.hued * bright, np.float32))
    return np.minimum(own, pure) - np.float32(_PURE) * np.abs(inward(here.other_light)), mass > _TELLS


def _sobel(values: Plane) -> tuple[Plane, Plane]:
    x, y = cv2.Sobel(values, cv2.CV_32F, 1, 0, ksize=3), cv2.Sobel(values, cv2.CV_32F, 0, 1, ksize=3)
    return x.astype(np.float32, copy=False), y.astype(np.float32, copy=False)
