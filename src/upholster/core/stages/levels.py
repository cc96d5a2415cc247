"""Clear and solid: which coverage counts as nothing and which as everything."""

import numpy as np
from numpy.typing import NDArray

from upholster.core.kernels import compiled, over_rows

Plane = NDArray[np.float32]


@compiled
def _levels(matte, clear, gain, thicken, out, first, end):
    one, zero = np.float32(1), np.float32(0)
    for j in range(first, end):
        for i in range(matte.shape[1]):
            a = min(max((matte[j, i] - clear) * gain, zero), one)
            out[j, i] = a if thicken <= one else one - (one - a) ** thicken


def levels(matte: Plane, *, clear: float, solid: float, opacity: float = 0.0) -> Plane:
    """Coverage with `clear` brought to 0, `solid` to 1, and thin parts thickened by `opacity`.

    Thickening is ``1 - (1 - a)^k`` with ``k = 2^(3 * opacity)``: k layers of the same veil, by the
    rule that coverage of independent layers multiplies (Porter and Duff 1984).
    """
    out = np.empty_like(matte)
    gain = 1.0 / max(solid - clear, 1e-3)
    f = np.float32
    over_rows(_levels, matte.shape[0], matte, f(clear), f(gain), f(2.0 ** (3 * opacity)), out)
    return out
