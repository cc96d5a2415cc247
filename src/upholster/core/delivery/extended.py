"""Colour under clear pixels: the subject's own, so that whoever filters a straight picture sees no rim."""

import cv2
import numpy as np
from numpy.typing import NDArray

Plane = NDArray[np.float32]

#: Coverage below which a pixel's colour is not its own any more: half a step of 8 bits.
_CLEAR = 0.5 / 255


def extended(rgb: Plane, alpha: Plane) -> Plane:
    """Straight colour that goes on under clear pixels as it is beside them.

    Averages of what is covered are made ever smaller, and handed back to what is not (push-pull: Gortler, Grzeszczuk,
    Szeliski, Cohen, "The Lumigraph", SIGGRAPH 1996, section 3.4).

    Parameters
    ----------
    rgb : (3, h, w) float32
        Straight.
    alpha : (h, w) float32, 0..1

    Returns
    -------
    (3, h, w) float32
        `rgb` wherever anything is covered; where nothing is at all, as it was.
    """
    seen = alpha > _CLEAR
    if not seen.any():
        return rgb
    weight = np.where(seen, alpha, np.float32(0))
    filled = _filled(np.dstack([*(rgb * weight), weight]).astype(np.float32))
    return np.where(seen, rgb, filled.transpose(2, 0, 1)).astype(np.float32)


def _filled(held: Plane) -> Plane:
    """Colours ``(h, w, 3)`` of weighted ones with their weights ``(h, w, 4)``, from further away where they lack."""
    height, width = held.shape[:2]
    colour, weight = held[..., :3], held[..., 3:]
    if max(height, width) == 1:
        return (colour / np.maximum(weight, np.float32(1e-6))).astype(np.float32)
    half = cv2.resize(held, ((width + 1) // 2, (height + 1) // 2), interpolation=cv2.INTER_AREA)
    share = half[..., 3:]
    # One covered pixel of four is enough to know the colour there.
    half *= np.minimum(4 * share, 1) / np.maximum(share, np.float32(1e-9))
    beyond = cv2.resize(_filled(half), (width, height), interpolation=cv2.INTER_LINEAR)
    return colour + (1 - weight) * beyond.reshape(height, width, 3)
