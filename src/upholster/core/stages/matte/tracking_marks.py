"""Taking out the tracking marks that were found on the screen."""

from typing import Any, NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from upholster.core.documents.settings import Settings
from upholster.core.grids import UpsampledGrid
from upholster.core.pipeline.stage import Changes, Context, Picture, Stage, covered
from upholster.core.raster import Raster
from upholster.core.screen.metric import to_metric
from upholster.core.screen.tracking_marks import VERY, TrackingMarks

Plane = NDArray[np.float32]

#: Coverage from which a pixel belongs to a mark, and how many times as large as those found one may be.
_THERE, _LARGER = 0.1, 1.5
#: Pixels along the longer side of a picture that are enough to tell what hangs together.
_ENOUGH = 480
#: How far the soft edge of a mark goes on, and how far off it may be where it is expected, in pixels of a plate that is
#: a thousand pixels wide or high; the former on smaller plates, too, for their colour is as coarse.
_EDGE, _OFF = 4.0, 6.0
#: The part of its outline that a mark beside something shows to the bare screen, at least, and the part of what looks
#: like it that may lie beyond it.
_OPEN, _BEYOND = 0.3, 0.3


class TakenMarks(Settings):
    tracking_marks: bool = Field(default=True, description="Tracking marks found on the screen are taken out.")


def _run(picture: Picture, context: Context, *, tracking_marks: bool) -> Changes:
    marks = context.measured.marks
    assert marks is not None
    return covered(without_marks(picture.cover, picture.rgb, picture.screen, marks, picture.raster))


def _applies(context: Context, *, tracking_marks: bool, **others: Any) -> bool:
    return context.keyed and tracking_marks and context.measured.marks is not None


STAGE = Stage("tracking_marks", ("rgb", "cover", "screen"), _run, "matte", TakenMarks, _applies)


def without_marks(cover: Plane, plate: Plane, screen: UpsampledGrid, marks: TrackingMarks, raster: Raster) -> Plane:
    """Coverage without tracking marks: lone ones, and those beside the subject where the lone ones say they are.

    Parameters
    ----------
    cover : (h, w) float32
    plate : (3, h, w) float32
    screen : UpsampledGrid
        The clean plate.
    raster : Raster
        Where the picture lies on its plate.
    """
    longer = max(raster.plate_width, raster.plate_height)
    size, unit = raster.length(marks.size * longer), raster.length(longer / 1000)
    edge = max(1, round(_EDGE * max(unit, raster.length(1.0))))
    out = cover.copy()
    frame = _Frame(cover, plate, screen, marks)
    middles = _take_lone(frame, _LARGER * size, edge, out)
    seen = np.array([raster.on_plate(x, y) for x, y in middles], np.float32).reshape(-1, 2) / np.float32(longer)
    for x, y in marks.hidden(seen) * longer:
        _take_beside(frame, raster.place(float(x), float(y)), size / 2 + _OFF * unit, out)
    return out


class _Frame(NamedTuple):
    """What is looked at: coverage, plate and clean plate as `without_marks` has them, and what marks look like."""

    cover: Plane
    plate: Plane
    screen: UpsampledGrid
    marks: TrackingMarks


def _take_lone(frame: _Frame, largest: float, edge: int, out: Plane) -> list[tuple[float, float]]:
    """Clear lone marks up to a size in `out`, with their soft edges; the middles of those that no border cuts."""
    cover, plate, screen, marks = frame
    height, width = cover.shape
    # What hangs together by a strand still does so at a smaller size.
    step = max(1, max(height, width) // _ENOUGH)
    there = (cover > _THERE).view(np.uint8)
    small = there if step == 1 else cv2.dilate(there, np.ones((step, step), np.uint8), anchor=(0, 0))[::step, ::step]
    _, labels, boxes, _ = cv2.connectedComponentsWithStats(small, connectivity=8)
    middles = []
    for k in 1 + np.flatnonzero(boxes[1:, cv2.CC_STAT_WIDTH : cv2.CC_STAT_HEIGHT + 1].max(axis=1) * step <= largest):
        left, top, wide, high = boxes[k, : cv2.CC_STAT_AREA] * step
        part = slice(max(0, top - edge), top + high + edge), slice(max(0, left - edge), left + wide + edge)
        rows, columns = (np.arange(side.start, min(side.stop, n)) for side, n in zip(part, cover.shape, strict=True))
        here = labels[np.ix_(rows // step, columns // step)]
        share = np.where(here == k, cover[part] * there[part], np.float32(0))
        middle = tuple(slice(side[len(side) // 2], side[len(side) // 2] + 1) for side in (rows, columns))
        seen = plate[:, *part][:, share >= np.float32(0.7) * share.max()].mean(axis=1)
        if not marks.alike(to_metric(seen - _ground(screen, *middle)[:, 0, 0])[None])[0]:
            continue
        gone = cv2.dilate((share > 0).view(np.uint8), np.ones((2 * edge + 1,) * 2, np.uint8)) > 0
        # What else is there beside a mark is no soft edge of it.
        out[part][gone & ((here == k) | (there[part] == 0))] = 0
        if left > 0 and top > 0 and left + wide < width and top + high < height:
            weight = share / share.sum()
            middles.append((float(weight.sum(axis=0) @ (columns + 0.5)), float(weight.sum(axis=1) @ (rows + 0.5))))
    return middles


def _ground(screen: UpsampledGrid, rows: slice, columns: slice) -> Plane:
    """The screen behind a part of the picture, ``(3, rows, columns)``."""
    above, share = screen.above[rows], screen.weight[rows, None]
    below = np.minimum(above + 1, screen.rows.shape[1] - 1)
    upper, lower = screen.rows[:3, above, columns], screen.rows[:3, below, columns]
    return np.asarray(upper + (lower - upper) * share, np.float32)


def _take_beside(frame: _Frame, place: tuple[float, float], reach: float, out: Plane) -> None:
    """Clear in `out` a mark at a place, if it is seen there beside something that is not like it."""
    cover, plate, screen, marks = frame
    height, width = cover.shape
    x, y = place
    around = 2 * reach
    top, end = max(0, int(y - around)), min(height, int(y + around) + 1)
    left, right = max(0, int(x - around)), min(width, int(x + around) + 1)
    if top >= end or left >= right:
        return
    part = slice(top, end), slice(left, right)
    away = to_metric(plate[:, *part] - _ground(screen, *part))
    there = cover[part] > _THERE
    like = there & marks.alike(away.reshape(3, -1).T, VERY).reshape(there.shape)
    _, labels = cv2.connectedComponents(like.astype(np.uint8), connectivity=8)
    down, across = np.ogrid[top:end, left:right]
    within = (across + 0.5 - x) ** 2 + (down + 0.5 - y) ** 2 < reach**2
    bare = cv2.dilate((~there).view(np.uint8), np.ones((3, 3), np.uint8)) > 0
    for k in np.unique(labels[within & like]):
        bit = labels == k
        rim = bit & (cv2.erode(bit.view(np.uint8), np.ones((3, 3), np.uint8)) == 0)
        # What goes on beyond the mark is a part of the subject; what shows nothing to the screen lies within it.
        if (bit & ~within).sum() <= _BEYOND * bit.sum() and (rim & bare).sum() >= _OPEN * rim.sum():
            out[part][bit & within] = 0
