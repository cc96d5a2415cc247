"""Pictures without what is clear in them."""

import numpy as np
from numpy.typing import NDArray

from upholster.core.kernels import compiled

#: Clear pixels between two runs that are sent along: to tell of another run takes two words.
_GAP = 8


def runs_of(pixels: NDArray[np.uint8]) -> NDArray[np.uint32]:
    """The covered runs of straight RGBA ``(h, w, 4)``, counted through all rows.

    Returns
    -------
    (n,) uint32
        How many there are; for each, its first pixel and its length; then their pixels.
    """
    flat = np.ascontiguousarray(pixels).view(np.uint32).ravel()
    runs = np.empty((flat.size // (_GAP + 1) + 1, 2), np.uint32)
    runs = runs[: _find(flat, runs)]
    out = np.empty(1 + runs.size + int(runs[:, 1].sum()), np.uint32)
    out[0], out[1 : 1 + runs.size] = len(runs), runs.ravel()
    _gather(flat, runs, out[1 + runs.size :])
    return out


@compiled
def _find(flat, runs):
    count, last = 0, -_GAP - 1
    for i in range(flat.shape[0]):
        if flat[i] >> np.uint32(24):
            if i - last > _GAP:
                runs[count, 0] = i
                count += 1
            runs[count - 1, 1] = i + 1 - runs[count - 1, 0]
            last = i
    return count


@compiled
def _gather(flat, runs, out):
    at = 0
    for first, length in runs:
        out[at : at + length] = flat[first : first + length]
        at += length
