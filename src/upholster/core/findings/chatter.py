"""Chatter: coverage that changes from frame to frame more than motion explains."""

import cv2
import numpy as np

from upholster.core.findings.moved import Moved
from upholster.core.findings.seen import Codes, Seen, square

#: How far motion may be wrong, in pixels either way; and how fast a thing moves before it is less sure than that.
_UNSURE, _FAST = 2.0, 8.0
#: How much must be left unexplained, as a code for 0..2, where motion is unsure; and pixels by which that may turn or
#: stop from one frame to the next before nothing is told.
_LEFT, _TURN = 26, 12.0


def chatter(here: Seen, beside: list[Moved]) -> Codes:
    """At half the size: how far a pixel lies from both frames beside, once those are brought here; 0..255 for 0..1.

    A change that stays is seen from one side only, and is none; one that comes and goes is seen from both. Within two
    pixels around, any value of the others explains it. So does a change of the screen's share in the plate: among hair
    and on what is fast nothing else is told of, since there motion is a guess.
    """
    if len(beside) < 2:
        return np.zeros_like(here.half_codes)
    one, other = beside
    within = one.within & other.within
    unsure = here.thin | (np.maximum(one.speed, other.speed) > _FAST * here.unit)
    away = _away(here.half_codes, one.codes, other.codes, here.unit) & within
    if not here.hue[2]:
        return here.seen(np.where(unsure, np.uint8(0), away))
    left = _away(here.unexplained, one.unexplained, other.unexplained, here.unit) & within
    turn = one.flow + other.flow
    steady = cv2.magnitude(turn[..., 0], turn[..., 1]) < np.float32(_TURN / 2 * here.unit)
    told = steady & (cv2.blur(left, (3, 3)) > _LEFT)
    twice = cv2.add(left, left)
    return here.seen(np.where(unsure, np.where(told, twice, np.uint8(0)), np.minimum(away, twice)))


def _away(here: Codes, one: Codes, other: Codes, unit: float) -> Codes:
    """How far each pixel lies beyond all that both others have around it."""
    reach = square(max(2.0, _UNSURE * unit))
    low = np.minimum(cv2.erode(one, reach), cv2.erode(other, reach))
    high = np.maximum(cv2.dilate(one, reach), cv2.dilate(other, reach))
    return np.maximum(cv2.subtract(low, here), cv2.subtract(here, high))
