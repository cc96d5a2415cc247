"""Brush strokes as they lie on a picture."""

from collections.abc import Iterable

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.core.documents.strokes import Stroke
from upholster.core.raster import Raster

Bytes = NDArray[np.uint8]

#: What strokes say of a pixel; 0 where there is none.
KEEP, DROP, SOFT = 1, 2, 3
_KINDS = {"keep": KEEP, "drop": DROP, "soft": SOFT}
#: Parts of a pixel in which places are given to OpenCV, as a power of 2.
_PARTS = 4
#: Places further outside of a picture than this, in pixels, are as good as there.
_OUTSIDE = 8000


def painted(strokes: Iterable[Stroke], raster: Raster) -> Bytes:
    """What strokes say of each pixel, ``(h, w)`` uint8; where they cross, the later."""
    out = np.zeros((raster.height, raster.width), np.uint8)
    for stroke in strokes:
        points = np.asarray(stroke.points, np.float64)
        x, y = raster.place(points[:, 0], points[:, 1])
        places = np.clip(np.stack([x, y], 1), -_OUTSIDE, _OUTSIDE)
        radii = stroke.radii or (stroke.radius,) * len(points)
        # Middles of pixels lie at halves, OpenCV's at whole numbers.
        fixed = np.rint((places - 0.5) * (1 << _PARTS)).astype(np.int32)
        for k, radius in enumerate(radii):
            wide = max(1.0, 2 * raster.length(radius))
            start, end = (tuple(int(v) for v in fixed[n]) for n in (max(k - 1, 0), k))
            cv2.line(out, start, end, _KINDS[stroke.kind], max(1, round(wide)), cv2.LINE_8, _PARTS)
    return out
