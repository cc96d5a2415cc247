"""Chatter: coverage that changes from frame to frame more than motion explains."""

import cv2
import numpy as np

from upholster.core.findings.moved import Moved
from upholster.core.findings.seen import Codes, Seen, square

#: How far motion may be wrong, in pixels either way; and how fast a thing moves before it is less sure than that.
_UNSURE, _FAST = 2.0, 8.0


def chatter(here: Seen, beside: list[Moved]) -> Codes:
    """At half the size: how far a pixel lies from both frames beside, once those are brought here; 0..255 for 0..1.

    A change that stays is seen from one side only, and is none; one that comes and goes is seen from both. Within two
    pixels around, any value of the others explains it.
    """
    if len(beside) < 2:
        return np.zeros_like(here.half_codes)
    reach = square(max(2.0, _UNSURE * here.unit))
    low = np.minimum(*(cv2.erode(m.codes, reach) for m in beside))
    high = np.maximum(*(cv2.dilate(m.codes, reach) for m in beside))
    away = np.maximum(cv2.subtract(low, here.half_codes), cv2.subtract(here.half_codes, high))
    if not away.any():
        return away
    fast = np.maximum(*(m.speed for m in beside)) > _FAST * here.unit
    return here.seen(np.where(fast | here.thin, np.uint8(0), away))
