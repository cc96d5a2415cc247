"""Cut off: the subject touches the crop, or something drawn or narrowed takes part of it."""

import cv2
import numpy as np

from upholster.core.findings.moved import Moved
from upholster.core.findings.seen import CLEAR, SOLID, Codes, Seen, square

#: How far beside the cut what is taken away counts.
_BESIDE = 6.0


def cut_off(here: Seen, beside: list[Moved]) -> Codes:
    """Where the subject goes on beyond what is kept of it; 255 there, 0 elsewhere.

    Beyond the crop, where solid pixels lie on a side that the take cuts; and beyond a mask, a trace or a range, where
    the key found something solid, nothing is delivered, and what is left beside it is solid up to the cut.
    """
    found = np.zeros_like(here.codes)
    deep = max(2, round(2 * here.unit))
    # Left, above, right and below.
    sides = [(slice(None), slice(deep)), (slice(deep), slice(None))]
    sides += [(slice(None), slice(-deep, None)), (slice(-deep, None), slice(None))]
    for side, cut in zip(sides, here.cut, strict=True):
        if cut:
            found[side] = here.solid[side] * np.uint8(255)
    taken = ((here.raw_codes >= SOLID) & (here.codes <= CLEAR)).view(np.uint8)
    if taken.any():
        touched = taken & cv2.dilate(here.solid, square(2 * 3 * here.unit))
        found[(taken & cv2.dilate(touched, square(2 * _BESIDE * here.unit))) > 0] = 255
    return found
