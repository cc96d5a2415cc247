"""Taking out lone bits: dust on the screen, tracking marks, compression crumbs."""

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.core.documents.settings import Settings
from upholster.core.documents.tracks import Track, track
from upholster.core.pipeline.stage import Changes, Context, Picture, Stage, covered

Plane = NDArray[np.float32]

#: Coverage from which a pixel belongs to a bit.
_THERE = 0.01


class Specks(Settings):
    specks: Track = track(0.0, 0.0, 60.0, step=0.5, unit="px", doc="Lone bits smaller than this are taken out.")


def _run(picture: Picture, context: Context, *, specks: float) -> Changes:
    return covered(remove_specks(picture.cover, size=picture.raster.length(specks)))


def _applies(context: Context, *, specks: float, **others: Any) -> bool:
    return context.keyed and specks > 0


STAGE = Stage("specks", ("cover",), _run, "matte", Specks, _applies)


def remove_specks(matte: Plane, *, size: float) -> Plane:
    """Matte without the bits whose longer side is below `size` pixels.

    A strand of hair is thin but long, and mostly hangs together with the head; so it stays.
    """
    if size < 1:
        return matte
    _, labels, boxes, _ = cv2.connectedComponentsWithStats((matte > _THERE).astype(np.uint8), connectivity=8)
    keep = np.maximum(boxes[:, cv2.CC_STAT_WIDTH], boxes[:, cv2.CC_STAT_HEIGHT]) >= size
    keep[0] = False
    return matte * keep[labels]
