"""How the frame beside a frame lies on it, by the plate's motion."""

from functools import lru_cache
from typing import NamedTuple

import cv2
import numpy as np

from upholster.core.findings.seen import Codes, Plane, Seen


class Moved(NamedTuple):
    """A frame beside, brought to where things are on this one.

    Attributes
    ----------
    codes : (h/2, w/2) uint8
        Its coverage, at half the size.
    speed : (h/2, w/2) float32
        At half the size: how far things move from the one to the other, in pixels of the whole size.
    """

    codes: Codes
    speed: Plane


def moved(here: Seen, beside: Seen) -> Moved:
    """Bring the coverage of a frame beside to this one.

    Notes
    -----
    Dense inverse search (Kroeger et al. 2016, "Fast optical flow using dense inverse search") on the plates at a third
    of their size.
    """
    search = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_ULTRAFAST)
    flow = search.calc(here.grey, beside.grey, None)
    flow = flow * np.array([here.half[0] / flow.shape[1], here.half[1] / flow.shape[0]], np.float32)
    flow = cv2.resize(flow, here.half, interpolation=cv2.INTER_LINEAR)
    at = cv2.add(flow, _places(*here.half))
    codes = cv2.remap(beside.half_codes, at, None, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    speed = cv2.magnitude(2 * flow[..., 0], 2 * flow[..., 1])
    return Moved(codes.astype(np.uint8, copy=False), speed.astype(np.float32, copy=False))


@lru_cache(4)
def _places(width: int, height: int) -> Plane:
    """Where each pixel lies, x and y."""
    x, y = np.meshgrid(np.arange(width, dtype=np.float32), np.arange(height, dtype=np.float32))
    return np.dstack([x, y])
