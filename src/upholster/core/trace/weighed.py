"""A small network's word on what the cues around a subject are worth together, which no fixed weights can say.

It was trained on drawn clips (`bench/learn`) to correct the sum of what is said of each pixel; where it says nothing,
that sum is what stays.
"""

import numpy as np
from numpy.typing import NDArray

from upholster.core.networks import Network
from upholster.core.trace.cues import Cues
from upholster.core.trace.plate import UNKNOWN

Plane = NDArray[np.float32]

#: Planes the network is told of.
TOLD = 17
#: Deeper inside than this, in working pixels, the network says no more than so much against what moves otherwise than
#: the ground by so many pixels, where its motion is sure.
_DEEP, _AGAINST, _MOVES, _FOLLOWED = 6, -1.0, 1.5, 0.5
NETWORK = Network("upholster.core.trace", "weighed.onnx", 1)


def told(cues: Cues) -> Plane:
    """What the network is told of each pixel, ``(TOLD, h, w)``: numbers of the order of 1."""
    known = cues.doubt != UNKNOWN
    nearby, whole, trust = cues.colours
    planes = (
        cues.expected,
        np.clip(cues.inside, -60, 60) / 20,
        cues.unsure,
        cues.ground / np.float32(3.5),
        known,
        np.where(known, np.minimum(cues.doubt, 40) / np.float32(20), 0),
        nearby / 4,
        trust,
        whole / 4,
        cues.said / 4,
        cues.lab[..., 0] / np.float32(64) - 2,
        (cues.lab[..., 1] - np.float32(128)) / 32,
        (cues.lab[..., 2] - np.float32(128)) / 32,
        np.minimum(cues.changed, 60) / 20,
        np.minimum(cues.astray, 12) / 4,
        cues.brushed,
        np.clip(cues.inside, -6, 6) / 3,
    )
    return np.stack(planes).astype(np.float32)


def corrected(cues: Cues) -> Plane:
    """What is to be added to the logarithm of the odds, ``(h, w)`` at half the working size."""
    more = NETWORK.answer(told(cues))[0]
    # A side that turns into the light may come to look like the ground, but it does not move as the ground does.
    held = (cues.inside > _DEEP) & (cues.astray > _MOVES) & (cues.unsure < _FOLLOWED)
    return np.where(held, np.maximum(more, _AGAINST), more).astype(np.float32)
