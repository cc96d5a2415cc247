"""Laying a picture over another, and the two conventions of alpha.

Porter and Duff 1984, "Compositing Digital Images": with premultiplied colours
``c = c_A + (1 - alpha_A) c_B``.
"""

import numpy as np
from numpy.typing import NDArray

from upholster.core.kernels import clamped, compiled, over_rows

Plane = NDArray[np.float32]


def premultiply(rgb: Plane, alpha: Plane) -> Plane:
    """Straight colour times coverage; shapes ``(3, h, w)`` and ``(h, w)``."""
    return rgb * alpha


def unpremultiply(rgb: Plane, alpha: Plane) -> Plane:
    """Straight colour from premultiplied; black where nothing covers."""
    return np.divide(rgb, alpha, out=np.zeros_like(rgb), where=np.broadcast_to(alpha > 0, rgb.shape))


def unmixed(rgb: Plane, alpha: Plane, over: tuple[float, float, float]) -> Plane:
    """Straight colour from one that was laid over the colour `over`; `unpremultiply` where that is black."""
    if not any(over):
        return unpremultiply(rgb, alpha)
    ground = np.array(over, np.float32).reshape(3, 1, 1)
    return unpremultiply(rgb - ground * (1 - alpha), alpha)


def over(rgb: Plane, alpha: Plane, ground: Plane) -> Plane:
    """Straight `rgb` with `alpha` over an opaque `ground` (broadcast to ``(3, h, w)``)."""
    return rgb * alpha + ground * (1.0 - alpha)


@compiled
def _pack(rgb, alpha, out, first, end):
    width = alpha.shape[1]
    for j in range(first, end):
        for i in range(width):
            r = np.uint32(clamped(rgb[0, j, i] * 255.0 + 0.5, 255.0))
            g = np.uint32(clamped(rgb[1, j, i] * 255.0 + 0.5, 255.0))
            b = np.uint32(clamped(rgb[2, j, i] * 255.0 + 0.5, 255.0))
            a = np.uint32(clamped(alpha[j, i] * 255.0 + 0.5, 255.0))
            out[j, i] = r | (g << np.uint32(8)) | (b << np.uint32(16)) | (a << np.uint32(24))


def pack_rgba8(rgb: Plane, alpha: Plane) -> NDArray[np.uint8]:
    """Interleaved 8-bit RGBA ``(h, w, 4)`` as a canvas takes it."""
    height, width = alpha.shape
    out = np.empty((height, width), np.uint32)
    over_rows(_pack, height, rgb, alpha, out)
    return out.view(np.uint8).reshape(height, width, 4)


@compiled
def _pack_straight(rgba, out, first, end):
    for j in range(first, end):
        for i in range(rgba.shape[1]):
            cover = clamped(rgba[j, i, 3], 1.0)
            # What nothing covers is black, as `unpremultiply` has it.
            times = np.float32(255.0) / cover if cover > 1e-6 else np.float32(0)
            r = np.uint32(clamped(rgba[j, i, 0] * times + 0.5, 255.0))
            g = np.uint32(clamped(rgba[j, i, 1] * times + 0.5, 255.0))
            b = np.uint32(clamped(rgba[j, i, 2] * times + 0.5, 255.0))
            a = np.uint32(cover * 255.0 + 0.5)
            out[j, i] = r | (g << np.uint32(8)) | (b << np.uint32(16)) | (a << np.uint32(24))


def pack_premultiplied8(rgba: Plane) -> NDArray[np.uint8]:
    """Premultiplied ``(h, w, 4)`` as interleaved straight 8-bit RGBA ``(h, w, 4)``, as a canvas takes it."""
    height, width = rgba.shape[:2]
    out = np.empty((height, width), np.uint32)
    over_rows(_pack_straight, height, rgba, out)
    return out.view(np.uint8).reshape(height, width, 4)
