"""Slight sharpening, to offset what a later shrink takes away."""

import cv2
import numpy as np
from numpy.typing import NDArray

Plane = NDArray[np.float32]


def sharpen(rgb: Plane, amount: float) -> Plane:
    """Opaque picture with its detail of about a pixel strengthened by `amount` (unsharp masking, sigma 1)."""
    if amount <= 0:
        return rgb
    soft = np.stack([cv2.GaussianBlur(c, (0, 0), 1.0, borderType=cv2.BORDER_REPLICATE) for c in rgb])
    return rgb + (rgb - soft) * np.float32(amount)
