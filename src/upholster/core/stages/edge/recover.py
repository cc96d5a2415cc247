"""Bringing back fine detail that clear and solid took away near the subject."""

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.core.documents.settings import Settings
from upholster.core.documents.tracks import Track, track
from upholster.core.grids import area, enlarge
from upholster.core.pipeline.stage import Changes, Context, Picture, Stage, covered

Plane = NDArray[np.float32]

#: Side of a cell of the map of nearness, and how far from the subject detail is looked for, in pixels.
_CELL, _REACH = 8.0, 48.0


class Recover(Settings):
    recover: Track = track(0.0, 0.0, 1.0, step=0.01, doc="Bring back fine detail near the subject.")


def _run(picture: Picture, context: Context, *, recover: float) -> Changes:
    step = picture.raster.length(1.0)
    return covered(recover_detail(picture.cover, picture.raw_matte, amount=recover, step=step))


def _applies(context: Context, *, recover: float, **others: Any) -> bool:
    return context.keyed and recover > 0


STAGE = Stage("recover", ("cover", "raw_matte"), _run, "edge", Recover, _applies)


def recover_detail(matte: Plane, raw_matte: Plane, *, amount: float, step: float) -> Plane:
    """Matte with at least `amount` of the raw one near what is solid; never less than `matte`.

    `step` is the length of a pixel of the plate in this picture.
    """
    height, width = matte.shape
    cell = max(1.0, _CELL * step)
    size = max(1, round(width / cell)), max(1, round(height / cell))
    solid = area((matte[None] > np.float32(0.9)).astype(np.float32), *size)[0]
    reach = max(1, round(_REACH / _CELL))
    near = cv2.dilate(np.minimum(solid * 2, np.float32(1)), np.ones((2 * reach + 1,) * 2, np.uint8))
    near = cv2.GaussianBlur(near, (0, 0), reach / 2)
    return np.maximum(matte, raw_matte * enlarge(near[None], width, height)[0] * np.float32(amount))
