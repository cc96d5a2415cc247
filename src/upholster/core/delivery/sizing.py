"""Delivering smaller or larger than the plate."""

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.core.composite.over import premultiply, unpremultiply

Plane = NDArray[np.float32]


def within(width: int, height: int, side: int | None, multiple: int = 1) -> tuple[int, int]:
    """Size whose longer side is `side`, each side a whole `multiple` and never nothing."""
    scale = side / max(width, height) if side else 1.0
    sides = (max(multiple, round(length * scale / multiple) * multiple) for length in (width, height))
    across, down = sides
    return across, down


def resized(rgb: Plane, alpha: Plane, width: int, height: int) -> tuple[Plane, Plane]:
    """Straight picture at another size, filtered premultiplied so that no hidden colour bleeds into the edge.

    Averaged where smaller, interpolated where larger; neither overshoots, which divided by a small alpha
    would be a loud colour. Colour under clear pixels is carried along, for lossy codecs that look at it.
    """
    if alpha.shape == (height, width):
        return rgb, alpha
    how = cv2.INTER_AREA if width * height < alpha.size else cv2.INTER_LINEAR
    cover = _scaled(alpha, width, height, how)
    held = np.stack([_scaled(c, width, height, how) for c in premultiply(rgb, alpha)])
    bare = np.stack([_scaled(c, width, height, how) for c in rgb])
    cover = cover.clip(0, 1)
    return np.where(cover > 0.004, unpremultiply(held, cover), bare), cover


def _scaled(plane: Plane, width: int, height: int, how: int) -> Plane:
    return cv2.resize(plane, (width, height), interpolation=how).astype(np.float32, copy=False)
