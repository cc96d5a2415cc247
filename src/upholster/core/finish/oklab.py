"""A space in which equal steps look about equal: Ottosson 2020, "A perceptual color space for image processing"."""

import numpy as np
from numpy.typing import NDArray

from upholster.core.colour import decode_srgb

Plane = NDArray[np.float32]

#: Linear BT.709 to cone responses, and their cube roots to Oklab; and back.
TO_CONES = np.array(
    [
        [0.4122214708, 0.5363325363, 0.0514459929],
        [0.2119034982, 0.6806995451, 0.1073969566],
        [0.0883024619, 0.2817188376, 0.6299787005],
    ],
    np.float32,
)
TO_LAB = np.array(
    [
        [0.2104542553, 0.7936177850, -0.0040720468],
        [1.9779984951, -2.4285922050, 0.4505937099],
        [0.0259040371, 0.7827717662, -0.8086757660],
    ],
    np.float32,
)
FROM_CONES, FROM_LAB = (np.linalg.inv(m.astype(np.float64)).astype(np.float32) for m in (TO_CONES, TO_LAB))


def to_oklab(rgb: Plane) -> Plane:
    """Encoded RGB ``(3, ...)`` to lightness 0..1 and two colour axes; below black is black."""
    return _apply(TO_LAB, np.cbrt(_apply(TO_CONES, decode_srgb(rgb))))


def _apply(matrix: Plane, picture: Plane) -> Plane:
    return np.tensordot(matrix, picture, axes=1).astype(np.float32)
