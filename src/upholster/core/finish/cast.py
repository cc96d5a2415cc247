"""The colour cast of a subject, and the gains that take it out."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from upholster.core.colour import decode_srgb

Plane = NDArray[np.float32]

#: The norm that Finlayson and Trezzi found best.
NORM = 6
#: Least mean of a primary that can be divided by.
_LEAST = 1e-4


def cast_of(pictures: Sequence[tuple[Plane, Plane]]) -> tuple[float, float, float]:
    """The cast over a subject, as linear RGB with a mean of one.

    Parameters
    ----------
    pictures : of ((3, h, w) float32, (h, w) float32)
        Straight encoded colour and coverage, of some frames.

    Raises
    ------
    ValueError
        Where nothing covers anywhere, or it is black.

    Notes
    -----
    Finlayson and Trezzi 2004, "Shades of Gray and Colour Constancy": the Minkowski mean of order 6 of each primary,
    each pixel weighted by its coverage.
    """
    total, weight = np.zeros(3), 0.0
    for rgb, alpha in pictures:
        light = np.clip(decode_srgb(rgb), 0, 1).astype(np.float64)
        total += (light**NORM * alpha).sum(axis=(1, 2))
        weight += float(alpha.sum(dtype=np.float64))
    if weight < 1:
        raise ValueError("nothing of the subject is left on these frames")
    mean = (total / weight) ** (1 / NORM)
    if (mean < _LEAST).any():
        raise ValueError("the subject is black in one of its primaries")
    red, green, blue = mean / mean.mean()
    return float(red), float(green), float(blue)
