"""What speaks for the subject and what for the ground, pixel by pixel, as logarithms of odds."""

import numpy as np
from numpy.typing import NDArray

from upholster.core.kernels import compiled
from upholster.core.trace.plate import UNKNOWN, Ground, residual
from upholster.core.trace.seen import Bytes

Plane = NDArray[np.float32]

#: Residuals are counted in steps of this, doubts of the ground up to each of these.
_STEP, _RESIDUALS = 2.5, 20
_DOUBTS = (2, 5, 12)
#: How strongly a residual may speak.
_MOST = 3.5
#: Pixels that count as much as all others together before any is seen.
_BEFORE = 8.0


def odds(share: Plane, most: float = 4.0) -> Plane:
    """Logarithm of the odds of shares 0..1, within `most` either way."""
    kept = np.clip(share, 1e-4, 1 - 1e-4)
    return np.clip(np.log(kept / (1 - kept)), -most, most).astype(np.float32)


def of_ground(lab: Bytes, ground: Ground, inside: NDArray[np.bool_], outside: NDArray[np.bool_]) -> Plane:
    """What the distance from the clean plate says of each pixel, ``(h, w)``; above 0 for the subject.

    It is learnt from the pixels that are surely `inside` and `outside`: where the clean plate has the subject in it, as
    when neither it nor the camera goes anywhere, both lie near to it, and it says nothing.
    """
    off = np.minimum((residual(lab, ground) / _STEP).astype(np.int32), _RESIDUALS - 1)
    doubt = np.searchsorted(np.array(_DOUBTS), ground.doubt).astype(np.int32)
    known = ground.doubt != UNKNOWN
    table = np.zeros((2, len(_DOUBTS) + 1, _RESIDUALS))
    for kind, where in enumerate((outside & known, inside & known)):
        table[kind] = np.bincount(doubt[where] * _RESIDUALS + off[where], minlength=table[0].size).reshape(
            table[0].shape
        )
    # A little smoother over residuals; a subject's far ones are as likely as not so far.
    table[:, :, 1:-1] = 0.25 * table[:, :, :-2] + 0.5 * table[:, :, 1:-1] + 0.25 * table[:, :, 2:]
    shares = (table + _BEFORE / _RESIDUALS) / (table.sum(axis=2, keepdims=True) + _BEFORE)
    says = np.clip(np.log(shares[1] / shares[0]), -_MOST, _MOST)
    # What is further off is no less the subject's.
    says = np.maximum.accumulate(says, axis=1).astype(np.float32)
    out = says[doubt, off]
    out[~known] = 0
    return out


@compiled
def pulls(said, towards, away, strength):
    """How strongly pixels are drawn either way by the logarithm of their odds: by as much as that is no guess."""
    for row in range(said.shape[0]):
        for column in range(said.shape[1]):
            share = np.float32(1.0) / (np.float32(1.0) + np.exp(-said[row, column]))
            certain = strength * abs(np.float32(2.0) * share - np.float32(1.0))
            towards[row, column] = certain if share > np.float32(0.5) else np.float32(0.0)
            away[row, column] = np.float32(0.0) if share > np.float32(0.5) else certain
