"""The colours of a subject and of a ground as they are measured: what a subject's light is matched to."""

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from upholster.core.finish.grain import Grain, grain_of
from upholster.core.finish.oklab import to_oklab
from upholster.core.grids import area

Plane = NDArray[np.float32]
Three = tuple[float, float, float]

#: Columns and rows in which the light of a ground is kept: it is soft when it reaches a subject.
COLUMNS, ROWS = 16, 9


class Colours(NamedTuple):
    """Mean and standard deviation of colours, in Oklab."""

    mean: Three
    spread: Three


def colours_of(pictures: Sequence[tuple[Plane, Plane]]) -> Colours:
    """Colours of some pictures ``(3, h, w)``, each pixel counted by its coverage ``(h, w)``.

    Raises
    ------
    ValueError
        Where nothing covers anywhere.
    """
    total, squares, weight = np.zeros(3), np.zeros(3), 0.0
    for rgb, alpha in pictures:
        lab = to_oklab(rgb).astype(np.float64)
        total += (lab * alpha).sum(axis=(1, 2))
        squares += (lab * lab * alpha).sum(axis=(1, 2))
        weight += float(alpha.sum(dtype=np.float64))
    if weight < 1:
        raise ValueError("nothing of the subject is left on these frames")
    mean = total / weight
    spread = np.sqrt(np.maximum(squares / weight - mean * mean, 0))
    return Colours(_three(mean), _three(spread))


def cells_of(pictures: Sequence[Plane]) -> Plane:
    """The light of a ground, averaged over some pictures of it: ``(3, ROWS, COLUMNS)`` encoded RGB."""
    return np.mean([area(np.ascontiguousarray(rgb), COLUMNS, ROWS) for rgb in pictures], axis=0).astype(np.float32)


def grain_of_all(pictures: Sequence[Plane]) -> Grain:
    """The grain of the picture in the middle, by strength."""
    return sorted((grain_of(rgb) for rgb in pictures), key=lambda grain: grain.strength)[len(pictures) // 2]


def _three(values: NDArray[np.float64]) -> Three:
    a, b, c = (round(float(v), 5) for v in values)
    return a, b, c
