"""What every kind of writer does, and opening one. Nothing is visible under its final name until it is whole."""

from fractions import Fraction
from pathlib import Path
from types import TracebackType
from typing import Protocol, Self

import numpy as np
from numpy.typing import NDArray

from upholster.media.encoder.movie import MovieWriter
from upholster.media.encoder.pair import PairWriter
from upholster.media.encoder.pictures import PictureWriter
from upholster.media.errors import MediaError
from upholster.media.facts import AlphaKind
from upholster.media.formats import Format

Plane = NDArray[np.float32]


class Writer(Protocol):
    """Takes straight frames in order; leaving the block without an error makes the file whole."""

    def write(self, rgb: Plane, alpha: Plane) -> None: ...

    def __enter__(self) -> Self: ...

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, at: TracebackType | None
    ) -> None: ...


def open_writer(
    form: Format,
    path: Path,
    *,
    width: int,
    height: int,
    rate: Fraction,
    alpha: AlphaKind,
    first: int = 0,
    padding: int = 6,
    threads: int = 1,
    options: dict[str, str] | None = None,
) -> Writer:
    """A writer to `path`: a file, or for sequences and pairs a folder.

    Parameters
    ----------
    first, padding : int
        Number of the first picture of a sequence, and its digits.
    options : dict, optional
        For the encoder, beside the format's own.
    """
    if form.alpha_kinds and alpha not in form.alpha_kinds:
        raise MediaError(f"{form.title} cannot hold {alpha} alpha. Choose {form.alpha_kinds[0]}.")
    if form.sequence:
        return PictureWriter(form, path, alpha, first, padding)
    if options:
        form = form._replace(options=form.options | options)
    kind = PairWriter if form.content == "pair" else MovieWriter
    return kind(form, path, width, height, rate, alpha, threads)
