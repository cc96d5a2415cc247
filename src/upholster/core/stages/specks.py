"""Taking out lone bits: dust on the screen, tracking marks, compression crumbs."""

import cv2
import numpy as np
from numpy.typing import NDArray

Plane = NDArray[np.float32]

#: Coverage from which a pixel belongs to a bit.
_THERE = 0.01


def remove_specks(matte: Plane, *, size: float) -> Plane:
    """Matte without the bits whose longer side is below `size` pixels.

    A strand of hair is thin but long, and mostly hangs together with the head; so it stays.
    """
    if size < 1:
        return matte
    _, labels, boxes, _ = cv2.connectedComponentsWithStats((matte > _THERE).astype(np.uint8), connectivity=8)
    keep = np.maximum(boxes[:, cv2.CC_STAT_WIDTH], boxes[:, cv2.CC_STAT_HEIGHT]) >= size
    keep[0] = False
    return matte * keep[labels]
