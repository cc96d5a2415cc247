"""Calming the grain with the frames around, where nothing moves."""

from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.core.kernels import compiled, over_rows

Plane = NDArray[np.float32]

#: Change against the grain's own, up to which a pixel is taken to be still, and from which it moves.
_STILL, _MOVES = 1.6, 2.6
#: Mean absolute difference of two values with independent normal grain of deviation one: 2 / sqrt(pi).
_GRAIN = 2 / np.sqrt(np.pi)


def steady(plate: Plane, around: Sequence[Plane], *, noise: float, amount: float) -> Plane:
    """Plate averaged with its neighbours in time wherever they differ by grain alone.

    Parameters
    ----------
    plate : (3, h, w) float32
    around : of (3, h, w) float32
        The frames before and after, as far as there are any.
    noise : float
        Standard deviation of the grain.
    amount : float
        0..1, how much the neighbours count.

    Notes
    -----
    What moves is not touched, so nothing lags: a weight falls to zero as soon as the change over a
    5 by 5 window is more than grain makes.
    """
    if amount <= 0 or not around:
        return plate
    total = plate.copy()
    weights = np.ones(plate.shape[1:], np.float32)
    usual = np.float32(max(noise, 0.2 / 255) * _GRAIN)
    for other in around:
        change = cv2.boxFilter(np.abs(plate - other).max(axis=0), cv2.CV_32F, (5, 5), borderType=cv2.BORDER_REPLICATE)
        over_rows(_add, plate.shape[1], other, change, usual, np.float32(amount), total, weights)
    total /= weights
    return total


@compiled
def _add(other, change, usual, amount, total, weights, first, end):
    one, zero = np.float32(1), np.float32(0)
    moves, span = np.float32(_MOVES), np.float32(_MOVES - _STILL)
    for j in range(first, end):
        for i in range(change.shape[1]):
            weight = min(max((moves - change[j, i] / usual) / span, zero), one) * amount
            weights[j, i] += weight
            for c in range(3):
                total[c, j, i] += other[c, j, i] * weight
