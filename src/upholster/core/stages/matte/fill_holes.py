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
#: Side of the square around a dip, in pixels of a plate 960 wide or high, and the share of it that lies in gaps from
#: which the dip is one of them.
_AROUND, _OPEN = 7.0, 0.05


class FillHoles(Settings):
    fill_holes: Track = track(
        8.0, 0.0, 60.0, step=0.5, unit="px", doc="Shallow dips in the solid part narrower than this are filled."
    )


def _run(picture: Picture, context: Context, *, fill_holes: float) -> Changes:
    raster = picture.raster
    around = raster.length(_AROUND * raster.scale)
    return covered(close_dips(picture.cover, size=raster.length(fill_holes), around=around))


def _applies(context: Context, *, fill_holes: float, **others: Any) -> bool:
    # Thin glow has no holes.
    return context.keyed and not context.glow and fill_holes > 0


STAGE = Stage("fill_holes", ("cover",), _run, "matte", FillHoles, _applies)


def close_dips(matte: Plane, *, size: float, around: float) -> Plane:
    """Matte with dips narrower than `size` pixels filled, where they are shallow and no gaps lie around them.

    Notes
    -----
    Grey-scale closing (Serra 1982, "Image Analysis and Mathematical Morphology", chapter XII)
    fills every narrow dip; how deep the dip was decides how much of that is taken. An edge, however
    soft, has no dip, so it stays as it is. Between strands of hair dips are as shallow as holes are; but there
    gaps are near, which are looked for in a square of `around` pixels.
    """
    reach = round(size / 2)
    if reach < 1:
        return matte
    # A square, which is done in two passes; what little it adds at corners is shallow dips anyway.
    square = np.ones((2 * reach + 1, 2 * reach + 1), np.uint8)
    # In 16 bits, rounded down: half the time of floating point, and no dip seems less than it is.
    codes, gaps = np.empty(matte.shape, np.uint16), np.empty(matte.shape, np.uint8)
    over_rows(_encode, matte.shape[0], matte, codes, gaps)
    closed = cv2.morphologyEx(codes, cv2.MORPH_CLOSE, square, borderType=cv2.BORDER_REPLICATE)
    side = 2 * round(around / 2) + 1
    open_to = cv2.blur(gaps, (side, side), borderType=cv2.BORDER_REPLICATE)
    out = np.empty_like(matte)
    over_rows(_fill, matte.shape[0], matte, codes, closed, open_to, out)
    return out


@compiled
def _encode(matte, codes, gaps, first, end):
    zero, one, gap = np.float32(0), np.float32(1), np.float32(_GAP)
    for j in range(first, end):
        for i in range(matte.shape[1]):
            codes[j, i] = np.uint16(min(max(matte[j, i], zero), one) * np.float32(65535))
            gaps[j, i] = np.uint8(0) if matte[j, i] >= gap else np.uint8(255)


@compiled
def _fill(matte, codes, closed, open_to, out, first, end):
    one, zero = np.float32(1), np.float32(0)
    gap, rate, step = np.float32(_GAP), np.float32(1 / (_HOLE - _GAP)), np.float32(1 / 65535)
    among = np.float32(1 / (255 * _OPEN))
    for j in range(first, end):
        for i in range(matte.shape[1]):
            shallow = min(max((matte[j, i] - gap) * rate, zero), one)
            shallow *= max(one - np.float32(open_to[j, i]) * among, zero)
            dip = np.float32(np.int32(closed[j, i]) - np.int32(codes[j, i])) * step
            out[j, i] = min(matte[j, i] + dip * shallow, max(matte[j, i], one))
