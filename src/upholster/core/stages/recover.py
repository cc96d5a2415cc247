"""Bringing back fine detail that clear and solid took away near the subject."""

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.core.grids import area, enlarge

Plane = NDArray[np.float32]

#: Side of a cell of the map of nearness, and how far from the subject detail is looked for, in pixels.
_CELL, _REACH = 8.0, 48.0


def recover(matte: Plane, pulled: Plane, *, amount: float, scale: float) -> Plane:
    """Matte with at least `amount` of the coverage as pulled, near what is solid; never less than `matte`."""
    if amount <= 0:
        return matte
    height, width = matte.shape
    cell = max(1.0, _CELL * scale)
    size = max(1, round(width / cell)), max(1, round(height / cell))
    solid = area((matte[None] > np.float32(0.9)).astype(np.float32), *size)[0]
    reach = max(1, round(_REACH / _CELL))
    near = cv2.dilate(np.minimum(solid * 2, np.float32(1)), np.ones((2 * reach + 1,) * 2, np.uint8))
    near = cv2.GaussianBlur(near, (0, 0), reach / 2)
    return np.maximum(matte, pulled * enlarge(near[None], width, height)[0] * np.float32(amount))
