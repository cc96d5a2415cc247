"""A clean flat colour behind a subject, for players that key it out again themselves."""

from collections.abc import Iterable
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from upholster.core.screen.metric import to_metric

Plane = NDArray[np.float32]
Colour = tuple[float, float, float]

#: Colours to choose from: the hues of a colour circle, neither so light nor so dark that a codec's
#: limited range or a screen's reflection would bend them (common practice, no source).
CANDIDATES: tuple[Colour, ...] = (
    (0.10, 0.72, 0.20), (0.10, 0.25, 0.80), (0.80, 0.12, 0.75), (0.10, 0.70, 0.72),
    (0.82, 0.45, 0.10), (0.78, 0.14, 0.16), (0.50, 0.15, 0.80), (0.72, 0.72, 0.12),
)  # fmt: skip
#: A colour this near to the flat one, in the key's metric, is in danger of being keyed out with it.
NEAR = 0.22
#: Plain keys at the other end: nothing is left up to the first share of the largest difference, all from the second.
_CLEAR, _SOLID = 0.15, 0.75


class Presence(NamedTuple):
    """How far a flat colour keeps from a subject.

    Attributes
    ----------
    share : float
        Part of the subject's pixels that come near it.
    distance : float
        Distance, in the key's metric, that all but a thousandth of the subject keep.
    """

    share: float
    distance: float


def subject_pixels(frames: Iterable[tuple[Plane, Plane]], most: int = 4000) -> Plane:
    """Colours ``(3, n)`` of solid pixels of straight (rgb, alpha) frames, evenly thinned."""
    found = []
    for rgb, alpha in frames:
        solid = rgb[:, alpha > 0.6]
        found.append(solid[:, :: max(1, solid.shape[1] // most)])
    return np.concatenate(found, axis=1) if found else np.zeros((3, 0), np.float32)


def presence(colour: Colour, subject: Plane) -> Presence:
    """How much of ``(3, n)`` subject pixels comes near a flat colour."""
    if subject.shape[1] == 0:
        return Presence(0.0, 1.0)
    away = _distance(subject, colour)
    return Presence(float((away < NEAR).mean()), float(np.quantile(away, 0.001)))


def propose_flat(subject: Plane) -> Colour:
    """The candidate that keeps furthest from everything in the subject."""
    return max(CANDIDATES, key=lambda colour: presence(colour, subject).distance)


def plain_key(rgb: Plane, colour: Colour) -> Plane:
    """The matte a plain chroma key finds: distance from one colour, with two fixed points.

    Nothing is known of the picture but the colour, as at the other end.
    """
    away = _distance(rgb, colour)
    largest = float(_distance(np.zeros((3, 1), np.float32) + np.float32(0.5), colour)[0])
    return np.clip((away / largest - _CLEAR) / (_SOLID - _CLEAR), 0, 1).astype(np.float32)


def _distance(rgb: Plane, colour: Colour) -> Plane:
    """Distance in colour alone: a plain key does not look at brightness."""
    here = to_metric(rgb.reshape(3, -1))[1:]
    there = to_metric(np.array(colour, np.float32)[:, None])[1:]
    return np.hypot(*(here - there)).reshape(rgb.shape[1:])
