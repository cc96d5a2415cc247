"""Moving the edge by fractions of a pixel, and softening it."""

import math
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.core.documents.settings import Settings
from upholster.core.documents.tracks import Track, track
from upholster.core.kernels import compiled, over_rows
from upholster.core.pipeline.stage import Changes, Context, Picture, Stage

Plane = NDArray[np.float32]

#: Directions in which the fraction of a pixel is looked for.
_DIRECTIONS = 16
#: Pixels of a row looked at together: where nothing differs, nothing moves.
_RUN = 32


class Choke(Settings):
    choke: Track = track(0.0, -20.0, 20.0, step=0.1, unit="px", doc="Edge in (+) or out (-).")
    soften: Track = track(0.0, 0.0, 50.0, step=0.1, unit="px", doc="Gaussian radius (sigma).")


def _run(picture: Picture, context: Context, *, choke: float, soften: float) -> Changes:
    length = picture.raster.length
    return {"alpha": move_edge(picture.cover, choke=length(choke), soften=length(soften))}


def _applies(context: Context, *, choke: float, soften: float, **others: Any) -> bool:
    return context.keyed and (choke != 0 or soften > 0)


STAGE = Stage("choke", ("cover",), _run, "edge", Choke, _applies)


def move_edge(matte: Plane, *, choke: float, soften: float) -> Plane:
    """Matte with its edge moved in by `choke` pixels (out where negative) and blurred by `soften` pixels.

    Notes
    -----
    Grey-scale dilation and erosion by a disc (Serra 1982, "Image Analysis and Mathematical
    Morphology", chapter XII): whole pixels with a disc of pixels, the fraction left over with the
    largest bilinear value on a circle of that radius.
    """
    if abs(choke) > 1e-3:
        matte = _dilate(matte, -choke) if choke < 0 else 1 - _dilate(1 - matte, choke)
    if soften > 0.05:
        matte = cv2.GaussianBlur(matte, (0, 0), soften, borderType=cv2.BORDER_REPLICATE)
    return matte


def _dilate(matte: Plane, radius: float) -> Plane:
    whole = math.floor(radius)
    if whole:
        disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * whole + 1, 2 * whole + 1))
        matte = cv2.dilate(matte, disc, borderType=cv2.BORDER_REPLICATE)
    fraction = radius - whole
    if fraction < 1e-3:
        return matte
    turns = np.arange(_DIRECTIONS, dtype=np.float32) * np.float32(2 * math.pi / _DIRECTIONS)
    out = np.empty_like(matte)
    over_rows(
        _circle, matte.shape[0], matte, np.cos(turns) * np.float32(fraction), np.sin(turns) * np.float32(fraction), out
    )
    return out


@compiled
def _circle(matte, dx, dy, out, first, end):
    height, width = matte.shape
    for j in range(first, end):
        above, row, below = matte[max(j - 1, 0)], matte[j], matte[min(j + 1, height - 1)]
        out[j] = row
        for left in range(0, width, _RUN):
            right = min(left + _RUN, width)
            low = high = row[left]
            for i in range(max(left - 1, 0), min(right + 1, width)):
                low = min(low, above[i], row[i], below[i])
                high = max(high, above[i], row[i], below[i])
            if low == high:
                continue
            for n in range(dx.shape[0]):
                # The radius is below one, so every value lies between this pixel and its eight neighbours.
                side = 1 if dx[n] > 0 else -1
                u, v = abs(dx[n]), abs(dy[n])
                a, b = (np.float32(1) - u) * (np.float32(1) - v), u * (np.float32(1) - v)
                c, d = (np.float32(1) - u) * v, u * v
                begin, stop = max(left, -side), min(right, width - side)
                other = below if dy[n] > 0 else above
                here, across = row[begin:stop], row[begin + side : stop + side]
                there, slant = other[begin:stop], other[begin + side : stop + side]
                largest = out[j, begin:stop]
                for i in range(stop - begin):
                    largest[i] = max(largest[i], a * here[i] + b * across[i] + c * there[i] + d * slant[i])
