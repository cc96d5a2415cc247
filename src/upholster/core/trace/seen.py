"""A frame as tracing sees it: small enough to be quick, in a space where distances are those of the eye."""

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

Plane = NDArray[np.float32]
Bytes = NDArray[np.uint8]

#: Longer side of the pictures in which mattes are carried, in pixels.
SIDE = 960


class Seen(NamedTuple):
    """A frame at working size.

    Attributes
    ----------
    lab : (h, w, 3) uint8
        CIE L*a*b* of its colours taken as sRGB, each channel over 0..255 as OpenCV has it.
    grey : (h / 2, w / 2) uint8
        Its lightness at half the size, in which motion is looked for.
    """

    lab: Bytes
    grey: Bytes

    @property
    def size(self) -> tuple[int, int]:
        """Width and height."""
        height, width = self.lab.shape[:2]
        return width, height


def working_size(width: int, height: int) -> tuple[int, int]:
    """Width and height of working pictures of a plate; even, so that half of them is whole."""
    scale = min(1.0, SIDE / max(width, height))
    return max(2, 2 * round(width * scale / 2)), max(2, 2 * round(height * scale / 2))


def seen(rgb: Plane) -> Seen:
    """A frame ``(3, h, w)`` of encoded colours at working size."""
    size = working_size(rgb.shape[2], rgb.shape[1])
    small = [cv2.resize(p, size, interpolation=cv2.INTER_AREA) if p.shape[::-1] != size else p for p in rgb]
    packed = np.rint(np.clip(cv2.merge(small), 0, 1) * 255).astype(np.uint8)
    lab = cv2.cvtColor(packed, cv2.COLOR_RGB2LAB)
    half = size[0] // 2, size[1] // 2
    return Seen(lab, cv2.resize(np.ascontiguousarray(lab[..., 0]), half, interpolation=cv2.INTER_AREA))
