"""A traced matte as it is used: at the size of the picture at hand, its edge as the person wants it."""

from collections.abc import Callable, Sequence
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.core.documents.traces import Shown, Trace
from upholster.core.masks.coverage import Patch
from upholster.core.raster import Raster
from upholster.core.stages.edge.choke import move_edge

Plane = NDArray[np.float32]

#: Reach of the windows in which a matte is fitted to a larger picture, in pixels of the matte, and the smallest
#: variance of the picture that tells an edge.
_FITS, _FLAT = 2, 2e-4


Traced = Callable[[Trace, int], Plane | None]


def there(shown: Sequence[Shown], traced: Traced) -> str:
    """Which of the mattes that are looked at are there, as a word."""
    looked = [(one, one.frame + way) for one in shown for way in ((-1, 0, 1) if one.calm > 0 else (0,))]
    return "".join("-" if traced(one.trace, frame) is None else "+" for one, frame in looked)


def of_trace(shown: Shown, raster: Raster, rgb: NDArray[np.float32], traced: Traced) -> Patch:
    """The coverage of a trace on a frame.

    Parameters
    ----------
    raster : Raster
        The picture to cover; not turned.
    rgb : (3, h, w) float32
        The picture itself: where it is larger than the matte, edges follow it.
    traced
        Gives the matte of a trace on a frame, of the whole plate; None where there is none.
    """
    matte = traced(shown.trace, shown.frame)
    if matte is None:
        return Patch(0, 0, np.zeros((0, 0), np.float32))
    matte = _calmed(matte, shown, traced)
    scale = raster.across * raster.plate_width / matte.shape[1]
    cover = placed(matte, raster)
    if scale > 1.2:
        cover = _fitted(cover, rgb, round(_FITS * scale))
    cover = move_edge(cover, choke=raster.length(shown.choke), soften=raster.length(shown.feather))
    if shown.softness < 1:
        cover = np.clip((cover - 0.5) / max(shown.softness, 0.02) + 0.5, 0, 1).astype(np.float32)
    return Patch(0, 0, cover)


def _calmed(matte: Plane, shown: Shown, traced: Traced) -> Plane:
    """The matte with what flickers taken out.

    The middle one of three frames: an edge that goes on moving is where it was, one that jumps there and back is not.
    """
    if shown.calm <= 0:
        return matte
    before, after = (traced(shown.trace, shown.frame + way) for way in (-1, 1))
    if before is None or after is None:
        return matte
    low, high = np.minimum(before, after), np.maximum(before, after)
    return matte + np.float32(shown.calm) * (np.clip(matte, low, high) - matte)


def placed(matte: Plane, raster: Raster) -> Plane:
    """A matte of the whole plate, on a picture that may be a part of it, at another size."""
    height, width = matte.shape
    if (raster.width, raster.height) == (width, height) and raster.whole:
        return matte
    # From middles of pixels to middles of pixels.
    across, down = raster.across * raster.plate_width / width, raster.down * raster.plate_height / height
    if across < 0.9 and raster.whole:
        return cv2.resize(matte, (raster.width, raster.height), interpolation=cv2.INTER_AREA)
    left, top = raster.left * raster.across, raster.top * raster.down
    matrix = np.array([[across, 0, across / 2 - 0.5 - left], [0, down, down / 2 - 0.5 - top]])
    moved = cv2.warpAffine(
        matte, matrix, (raster.width, raster.height), flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE
    )
    return np.asarray(moved, np.float32)


def _fitted(cover: Plane, rgb: NDArray[np.float32], reach: int) -> Plane:
    """A matte made larger, its edge drawn to those of the picture.

    Notes
    -----
    He, Sun and Tang 2013, "Guided image filtering", by the mean of the three channels, where the matte is not flat.
    """
    left, top, width, height = cv2.boundingRect(((cover > 0.01) & (cover < 0.99)).astype(np.uint8))
    if not width:
        return cover
    rows = slice(max(0, top - 2 * reach), top + height + 2 * reach)
    columns = slice(max(0, left - 2 * reach), left + width + 2 * reach)
    guide = np.asarray(rgb[:, rows, columns].mean(axis=0), np.float32)
    part = cover[rows, columns]
    size = (2 * reach + 1, 2 * reach + 1)

    def mean(plane: NDArray[Any]) -> Plane:
        return np.asarray(cv2.blur(plane, size), np.float32)

    of_guide, of_cover = mean(guide), mean(part)
    slope = (mean(guide * part) - of_guide * of_cover) / (mean(guide * guide) - of_guide * of_guide + _FLAT)
    level = of_cover - slope * of_guide
    out = cover.copy()
    out[rows, columns] = np.clip(mean(slope) * guide + mean(level), 0, 1)
    return out
