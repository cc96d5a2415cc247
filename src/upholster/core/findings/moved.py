"""How the frame beside a frame lies on it, by the plate's motion."""

from dataclasses import dataclass
from functools import cached_property, lru_cache

import cv2
import numpy as np

from upholster.core.findings.seen import Codes, Plane, Seen


@dataclass(frozen=True, eq=False)
class Moved:
    """A frame beside, brought to where things are on this one.

    Attributes
    ----------
    codes : (h/2, w/2) uint8
        Its coverage, at half the size.
    still : (h/2, w/2) uint8
        The same as it lies there, not moved.
    unexplained : (h/2, w/2) uint8
        Its `Seen.unexplained`, likewise.
    within : (h/2, w/2) uint8
        255 where this lies within the picture there as well.
    flow : (h/2, w/2, 2) float32
        How far things move from this one to that, right and down, in pixels of half the size.
    """

    codes: Codes
    still: Codes
    unexplained: Codes
    within: Codes
    flow: Plane

    @cached_property
    def speed(self) -> Plane:
        """At half the size: how far things move, in pixels of the whole size."""
        return np.asarray(2 * cv2.magnitude(self.flow[..., 0], self.flow[..., 1]), np.float32)


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

    def brought(codes: Codes) -> Codes:
        there = cv2.remap(codes, at, None, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
        return there.astype(np.uint8, copy=False)

    within = cv2.inRange(at, (0.0, 0.0), (here.half[0] - 1.0, here.half[1] - 1.0)).astype(np.uint8, copy=False)
    codes = beside.half_codes
    return Moved(brought(codes), codes, brought(beside.unexplained), within, flow.astype(np.float32, copy=False))


@lru_cache(4)
def _places(width: int, height: int) -> Plane:
    """Where each pixel lies, x and y."""
    x, y = np.meshgrid(np.arange(width, dtype=np.float32), np.arange(height, dtype=np.float32))
    return np.dstack([x, y])
