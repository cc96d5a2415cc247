"""Transparency of one bit: which pixels are there, and what they look like at the edge."""

from typing import Literal

import numpy as np
from numpy.typing import NDArray

from upholster.core.composite.over import over

Plane = NDArray[np.float32]
Edge = Literal["threshold", "dither"]

#: Bayer 1973, "An optimum method for two-level rendition of continuous-tone pictures": the 4 by 4 matrix.
_BAYER = np.array([[0, 8, 2, 10], [12, 4, 14, 6], [3, 11, 1, 9], [15, 7, 13, 5]], np.float32)


def one_bit(rgb: Plane, alpha: Plane, *, edge: Edge, cut: float, blend: Plane) -> tuple[Plane, Plane]:
    """Picture whose alpha is 0 or 1.

    Parameters
    ----------
    edge : {"threshold", "dither"}
        Whether all pixels covered by `cut` and more are kept, or half-covered ones are scattered in an
        ordered pattern, which lies still from frame to frame.
    blend : (3, 1, 1) float32
        Colour that what shows through of half-covered pixels is blended with.
    """
    if edge == "dither":
        height, width = alpha.shape
        steps = (_BAYER + 0.5) / 16
        level = np.tile(steps, (-(-height // 4), -(-width // 4)))[:height, :width]
        kept = alpha >= level
    else:
        kept = alpha >= np.float32(cut)
    return over(rgb, alpha, blend).astype(np.float32), kept.astype(np.float32)
