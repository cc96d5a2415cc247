"""A small moving picture with alpha for lists, as every browser plays it: WebM VP9."""

from collections.abc import Iterable
from fractions import Fraction
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.core.composite import premultiply, unpremultiply
from upholster.core.grids import area
from upholster.media.formats import FORMATS
from upholster.media.proxy import fitted
from upholster.media.writer import open_writer

Plane = NDArray[np.float32]

#: Longer side in pixels, and the most frames kept.
SIDE, FRAMES = 480, 240


def write_preview(path: Path, frames: Iterable[tuple[Plane, Plane]], rate: Fraction) -> None:
    """Shrink straight (rgb, alpha) frames, weighting colour by alpha, into `path`."""
    writer = None
    form = FORMATS["vp9"]._replace(
        options={**FORMATS["vp9"].options, "deadline": "realtime", "cpu-used": "7", "crf": "28"}
    )
    for number, (rgb, alpha) in enumerate(frames):
        if number == FRAMES:
            break
        width, height = fitted(alpha.shape[1], alpha.shape[0], SIDE)
        small = cv2.resize(alpha, (width, height), interpolation=cv2.INTER_AREA)
        colour = unpremultiply(area(premultiply(rgb, alpha), width, height), small)
        if writer is None:
            writer = open_writer(form, path, width=width, height=height, rate=rate, alpha="straight")
            writer.__enter__()
        writer.write(colour, small)
    if writer is not None:
        writer.__exit__(None, None, None)
