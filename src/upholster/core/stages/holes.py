"""Closing holes in the solid part without closing real gaps."""

import cv2
import numpy as np
from numpy.typing import NDArray

Plane = NDArray[np.float32]

#: A dip that still covers this much is a hole in something solid; one that covers less is a gap.
_GAP, _HOLE = 0.5, 0.8


def close_holes(matte: Plane, *, size: float) -> Plane:
    """Matte with dips narrower than `size` pixels filled, where they are shallow.

    Notes
    -----
    Grey-scale closing (Serra 1982, "Image Analysis and Mathematical Morphology", chapter XII)
    fills every narrow dip; how deep the dip was decides how much of that is taken. An edge, however
    soft, has no dip, so it stays as it is.
    """
    reach = round(size / 2)
    if reach < 1:
        return matte
    # A square, which is done in two passes; what little it adds at corners is shallow dips anyway.
    square = np.ones((2 * reach + 1, 2 * reach + 1), np.uint8)
    closed = cv2.morphologyEx(matte, cv2.MORPH_CLOSE, square, borderType=cv2.BORDER_REPLICATE)
    shallow = np.clip((matte - np.float32(_GAP)) * np.float32(1 / (_HOLE - _GAP)), 0, 1)
    return matte + (closed - matte) * shallow
