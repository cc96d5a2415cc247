"""Taking out only the ground that is joined to chosen places."""

from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

Plane = NDArray[np.float32]

#: How far beyond the joined ground its soft edge goes, in pixels of the plate.
_EDGE = 3.0


def keep_unjoined(pulled: Plane, places: Sequence[tuple[float, float, float]], *, reach: float, scale: float) -> Plane:
    """Coverage made whole wherever the ground does not hang together with one of `places`.

    Parameters
    ----------
    pulled : (h, w) float32
    places : of (x, y, radius)
        In pixels of this picture; with none, the ground is that which touches the picture's rim.
    reach : float
        Pixels with a coverage up to this belong to the ground.
    scale : float
        Size of this picture against the plate.

    Notes
    -----
    Connected components with eight neighbours (Rosenfeld and Pfaltz 1966, "Sequential operations in
    digital picture processing").
    """
    ground = (pulled <= np.float32(reach)).astype(np.uint8)
    count, labels = cv2.connectedComponents(ground, connectivity=8)
    chosen = np.zeros(count, np.uint8)
    for patch in _patches(labels, places):
        chosen[patch.ravel()] = 1
    chosen[0] = 0
    joined = chosen[labels]
    side = 2 * max(1, round(_EDGE * scale)) + 1
    joined = cv2.dilate(joined, np.ones((side, side), np.uint8))
    return np.where(joined > 0, pulled, np.float32(1))


def _patches(labels: NDArray[np.int32], places: Sequence[tuple[float, float, float]]) -> list[NDArray[np.int32]]:
    if not places:
        return [labels[0], labels[-1], labels[:, 0], labels[:, -1]]
    return [
        labels[max(0, int(y - r)) : max(0, int(y + r) + 1), max(0, int(x - r)) : max(0, int(x + r) + 1)]
        for x, y, r in places
    ]
