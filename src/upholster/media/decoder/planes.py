"""Pictures as they come out of a file: planes of code values, not yet colour."""

from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray


class Planes(NamedTuple):
    """One frame of code values.

    Attributes
    ----------
    model : {"yuv", "rgb", "grey"}
    depth : int
        Bits a component; 0 for floating point.
    arrays : list of ndarray
        Colour planes in the order of the model, each ``(h, w)``.
    alpha : ndarray or None
    damaged : bool
        Whether the decoder had to make up a part of it, or of one it is built on.
    """

    model: str
    depth: int
    arrays: list[NDArray[Any]]
    alpha: NDArray[Any] | None
    damaged: bool = False


def same_codes(one: Planes, two: Planes) -> bool:
    """Whether two frames hold the same code values."""
    if (one.model, one.depth, one.alpha is None) != (two.model, two.depth, two.alpha is None):
        return False
    pairs = [*zip(one.arrays, two.arrays, strict=True), (one.alpha, two.alpha)]
    return all(np.array_equal(a, b) for a, b in pairs if a is not None and b is not None)
