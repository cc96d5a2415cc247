"""Where the pixels of a frame were on the frame before."""

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.core.trace.geometry import Box, Mask
from upholster.core.trace.seen import Seen

#: Motion that does not come back within so many pixels is unsure.
_COMES_BACK = 1.5


def motion(then: Seen, now: Seen, box: Box) -> tuple[NDArray[np.float32], Mask]:
    """Where each pixel of a box was on the frame before, as x and y in the box, and where that is unsure.

    Notes
    -----
    Dense inverse search (Kroeger et al. 2016, "Fast optical flow using dense inverse search") forth and back at half
    the size.
    """
    one, two = (np.ascontiguousarray(p.grey[box.half]) for p in (then, now))
    search = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_FAST)
    back = search.calc(two, one, None)
    forth = search.calc(one, two, None)
    height, width = one.shape
    x, y = np.meshgrid(np.arange(width, dtype=np.float32), np.arange(height, dtype=np.float32))
    returned = back + cv2.remap(forth, x + back[..., 0], y + back[..., 1], cv2.INTER_LINEAR)
    unsure = (np.hypot(returned[..., 0], returned[..., 1]) > _COMES_BACK / 2).astype(np.uint8)
    size = (box.right - box.left, box.bottom - box.top)
    moved = 2 * cv2.resize(back, size, interpolation=cv2.INTER_LINEAR)
    x, y = np.meshgrid(np.arange(size[0], dtype=np.float32), np.arange(size[1], dtype=np.float32))
    moved += np.dstack([x, y])
    wide = cv2.dilate(cv2.resize(unsure, size, interpolation=cv2.INTER_NEAREST), np.ones((5, 5), np.uint8))
    return moved, wide > 0
