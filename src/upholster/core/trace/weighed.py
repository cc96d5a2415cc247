"""A small network's word on what the cues around a subject are worth together, which no fixed weights can say.

It was trained on drawn clips (`bench/learn`) to correct the sum of what is said of each pixel; where it says nothing,
that sum is what stays.
"""

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.core.networks import Network
from upholster.core.trace.cues import Colours
from upholster.core.trace.plate import UNKNOWN
from upholster.core.trace.seen import Bytes

Plane = NDArray[np.float32]

#: Planes the network is told of.
TOLD = 17
NETWORK = Network("upholster.core.trace", "weighed.onnx", 1)


class Cues(NamedTuple):
    """What is known of each pixel around a subject, at half the working size, each ``(h, w)``.

    Attributes
    ----------
    lab : (h, w, 3) uint8
    expected : float32
        Coverage as it was carried there, 0..1.
    inside : float32
        Distance to its outline in working pixels, above 0 inside.
    unsure : float32
        How far motion is not to be believed, 0..1.
    ground : float32
        Logarithm of the odds by the distance from the clean plate.
    doubt : uint8
        Of the clean plate, as `plate.Ground` has it.
    colours : Colours of (h, w) float32
    said : float32
        The sum of all that.
    changed : float32
        How far its colour is from the one it had, summed over L*a*b*.
    astray : float32
        How far it moved otherwise than the ground does, in working pixels.
    brushed : float32
        What strokes say: 1 keep, -1 drop.
    """

    lab: Bytes
    expected: Plane
    inside: Plane
    unsure: Plane
    ground: Plane
    doubt: Bytes
    colours: Colours
    said: Plane
    changed: Plane
    astray: Plane
    brushed: Plane


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
    return np.asarray(NETWORK.answer(told(cues))[0])


def doubled(half: Plane, size: tuple[int, int]) -> Plane:
    """A plane at the working size."""
    return np.asarray(cv2.resize(half, size, interpolation=cv2.INTER_LINEAR))
