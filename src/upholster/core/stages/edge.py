"""Moving the edge by fractions of a pixel, and softening it."""

import math

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.core.kernels import compiled, over_rows

Plane = NDArray[np.float32]

#: Shifts are done with plain discs down to this rest, then with the sloped one.
_SLOPED = 1.5


def edge(matte: Plane, *, shift: float, soften: float) -> Plane:
    """Matte with its edge moved by `shift` pixels (out is positive) and blurred by `soften` pixels.

    Notes
    -----
    Grey-scale dilation and erosion (Serra 1982, "Image Analysis and Mathematical Morphology",
    chapter XII). The structuring function is flat within the radius and falls with a slope of one
    per pixel outside it, so an edge one pixel wide moves by the exact fraction, and a radius of
    zero changes nothing.
    """
    if abs(shift) > 1e-3:
        matte = _dilate(matte, shift) if shift > 0 else 1 - _dilate(1 - matte, -shift)
    if soften > 0.05:
        matte = cv2.GaussianBlur(matte, (0, 0), soften, borderType=cv2.BORDER_REPLICATE)
    return matte


def _dilate(matte: Plane, radius: float) -> Plane:
    whole = math.floor(radius - _SLOPED) + 1 if radius > _SLOPED else 0
    if whole:
        disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * whole + 1, 2 * whole + 1))
        matte = cv2.dilate(matte, disc, borderType=cv2.BORDER_REPLICATE)
    out = np.empty_like(matte)
    over_rows(_slope, matte.shape[0], matte, *_falls(radius - whole), out)
    return out


def _falls(radius: float) -> tuple[NDArray[np.int32], NDArray[np.int32], Plane]:
    reach = math.ceil(radius + 1)
    y, x = np.mgrid[-reach : reach + 1, -reach : reach + 1]
    fall = np.maximum(np.hypot(x, y) - radius, 0)
    near = (fall < 1) & (fall + np.hypot(x, y) > 0)
    return y[near].astype(np.int32), x[near].astype(np.int32), fall[near].astype(np.float32)


@compiled
def _slope(matte, dy, dx, fall, out, first, end):
    height, width = matte.shape
    for j in range(first, end):
        out[j] = matte[j]
        for n in range(dy.shape[0]):
            row = matte[min(max(j + dy[n], 0), height - 1)]
            x, drop = dx[n], fall[n]
            for i in range(max(0, -x), min(width, width - x)):
                out[j, i] = max(out[j, i], row[i + x] - drop)
