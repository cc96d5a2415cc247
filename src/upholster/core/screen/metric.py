"""How far apart two colours are, for keying.

Differences are taken as luma and two colour differences. Light and shade move a surface along
luma, so luma counts for little; what sets a screen apart is its colour.
"""

import numpy as np
from numpy.typing import NDArray

from upholster.core.colour import luma_weights

Plane = NDArray[np.float32]

#: Weight of luma against the colour differences in every distance.
LUMA_WEIGHT = 0.25

_R, _G, _B = luma_weights("bt709")
#: Rows: weighted luma, (B - Y), (R - Y), for encoded RGB.
TO_METRIC = np.array(
    [
        [LUMA_WEIGHT * _R, LUMA_WEIGHT * _G, LUMA_WEIGHT * _B],
        [-_R, -_G, 1 - _B],
        [1 - _R, -_G, -_B],
    ],
    np.float32,
)


def to_metric(rgb: Plane) -> Plane:
    """Encoded RGB ``(3, ...)`` to the space where Euclidean distance is the key's distance."""
    return np.tensordot(TO_METRIC, rgb, axes=1).astype(np.float32, copy=False)


def chroma(rgb: Plane) -> Plane:
    """How coloured ``(3, ...)`` RGB is: length of its two colour differences."""
    return np.hypot(*to_metric(rgb)[1:])
