"""Colour and matte as two videos in step."""

from fractions import Fraction
from pathlib import Path
from types import TracebackType
from typing import Self

import numpy as np
from numpy.typing import NDArray

from upholster.media.encoder.movie import MovieWriter
from upholster.media.facts import AlphaKind
from upholster.media.formats import Format

Plane = NDArray[np.float32]


def pair_files(folder: Path, form: Format) -> list[Path]:
    """The fill and the matte."""
    return [folder / f"fill{form.suffix}", folder / f"matte{form.suffix}"]


class PairWriter:
    """Two movie writers that take the same frames."""

    def __init__(
        self, form: Format, folder: Path, width: int, height: int, rate: Fraction, alpha: AlphaKind, threads: int
    ) -> None:
        folder.mkdir(parents=True, exist_ok=True)
        fill, matte = pair_files(folder, form)
        self._fill = MovieWriter(form, fill, width, height, rate, alpha, threads)
        self._matte = MovieWriter(form, matte, width, height, rate, alpha, threads)

    def write(self, rgb: Plane, alpha: Plane) -> None:
        self._fill.write(rgb, alpha)
        self._matte.write(np.stack([alpha] * 3), alpha)

    def __enter__(self) -> Self:
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, at: TracebackType | None) -> None:
        try:
            self._fill.__exit__(kind, error, at)
        finally:
            self._matte.__exit__(kind, error, at)
