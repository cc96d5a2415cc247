"""Closing holes in the solid part without closing real gaps."""

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.core.documents.settings import Settings
from upholster.core.documents.tracks import Track, track
from upholster.core.kernels import compiled, over_rows
from upholster.core.pipeline.stage import Changes, Context, Picture, Stage, covered

Plane = NDArray[np.float32]

#: A dip that still covers this much is a hole in something solid; one that covers less is a gap.
_GAP, _HOLE = 0.5, 0.8


class FillHoles(Settings):
    fill_holes: Track = track(
        8.0, 0.0, 60.0, step=0.5, unit="px", doc="Shallow dips in the solid part narrower than this are filled."
    )


def _run(picture: Picture, context: Context, *, fill_holes: float) -> Changes:
    return covered(close_dips(picture.cover, size=picture.raster.length(fill_holes)))


def _applies(context: Context, *, fill_holes: float, **others: Any) -> bool:
    # Thin glow has no holes.
    return context.keyed and not context.glow and fill_holes > 0


STAGE = Stage("fill_holes", ("cover",), _run, "matte", FillHoles, _applies)


def close_dips(matte: Plane, *, size: float) -> Plane:
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
    # In 16 bits, rounded down: half the time of floating point, and no dip seems less than it is.
    codes = np.empty(matte.shape, np.uint16)
    over_rows(_encode, matte.shape[0], matte, codes)
    closed = cv2.morphologyEx(codes, cv2.MORPH_CLOSE, square, borderType=cv2.BORDER_REPLICATE)
    out = np.empty_like(matte)
    over_rows(_fill, matte.shape[0], matte, codes, closed, out)
    return out


@compiled
def _encode(matte, codes, first, end):
    for j in range(first, end):
        for i in range(matte.shape[1]):
            codes[j, i] = np.uint16(min(max(matte[j, i], np.float32(0)), np.float32(1)) * np.float32(65535))


@compiled
def _fill(matte, codes, closed, out, first, end):
    one, zero = np.float32(1), np.float32(0)
    gap, rate, step = np.float32(_GAP), np.float32(1 / (_HOLE - _GAP)), np.float32(1 / 65535)
    for j in range(first, end):
        for i in range(matte.shape[1]):
            shallow = min(max((matte[j, i] - gap) * rate, zero), one)
            dip = np.float32(np.int32(closed[j, i]) - np.int32(codes[j, i])) * step
            out[j, i] = min(matte[j, i] + dip * shallow, max(matte[j, i], one))
