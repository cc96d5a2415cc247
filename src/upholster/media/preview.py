"""A small moving picture with alpha for lists, as every browser plays it: WebM VP9."""

from fractions import Fraction
from pathlib import Path
from types import TracebackType
from typing import Self

import numpy as np
from numpy.typing import NDArray

from upholster.core.delivery.sizing import resized
from upholster.media.delivery import Picture
from upholster.media.encoder.writer import Writer, open_writer
from upholster.media.formats import FORMATS
from upholster.media.proxy import fitted

Plane = NDArray[np.float32]

#: Longer side in pixels.
SIDE = 480
FORMAT = FORMATS["vp9"]
_QUICK = {"deadline": "realtime", "cpu-used": "7", "crf": "28"}


class PreviewWriter:
    """Shrinks delivered pictures into a file; parts can be joined."""

    def __init__(self, path: Path, rate: Fraction) -> None:
        self._path, self._rate = path, rate
        self._writer: Writer | None = None

    def write(self, picture: Picture) -> None:
        self.show(picture.rgb, picture.alpha)

    def show(self, rgb: Plane, alpha: Plane) -> None:
        """Take a picture, straight planes ``(3, h, w)`` and ``(h, w)``."""
        height, width = alpha.shape
        width, height = fitted(width, height, SIDE)
        if self._writer is None:
            self._writer = open_writer(
                FORMAT, self._path, width=width, height=height, rate=self._rate, alpha="straight", options=_QUICK
            ).__enter__()
        self._writer.write(*resized(rgb, alpha, width, height))

    def __enter__(self) -> Self:
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, at: TracebackType | None) -> None:
        if self._writer is not None:
            self._writer.__exit__(kind, error, at)
