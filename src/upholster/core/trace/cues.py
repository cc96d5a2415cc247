"""What colours and the carried shape say of pixels around a subject."""

from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from upholster.core.trace import colours, evidence
from upholster.core.trace.colours import Windows
from upholster.core.trace.scene import Scene
from upholster.core.trace.seen import Bytes

Plane = NDArray[np.float32]
Places = tuple[NDArray[np.integer[Any]], ...]

#: Weights of what speaks: colours nearby, colours of the whole, and the carried shape.
_NEAR, _WHOLE, _SHAPE = 1.0, 0.35, 0.22
#: Weight of the colours of the whole where those nearby cannot be trusted; and of the shape where motion is unsure.
_ALONE, _LOOSE = 1.0, 0.4
#: How far from its outline the carried shape speaks louder, in pixels.
_DEEP = 10


class Colours(NamedTuple):
    """What colours say of some pixels.

    Attributes
    ----------
    nearby, whole : (n,) float32
        Logarithms of odds for the subject, by the colours nearby and by those of the frames that were brushed on.
    trust : (n,) float32
        How far those nearby part subject and ground, 0..1.
    """

    nearby: Plane
    whole: Plane
    trust: Plane


def of_colours(scene: Scene, windows: Windows, lab: Bytes, places: Places, moved: NDArray[np.float32]) -> Colours:
    """What colours say of pixels at some places, which were at `moved`, ``(n, 2)``, when the windows were learnt."""
    rows, columns = (part.astype(np.int32) for part in places)
    share, trust = colours.likelihood(windows, lab, (rows, columns), moved)
    return Colours(evidence.odds(share), of_memory(scene, lab, places), trust)


def of_memory(scene: Scene, lab: Bytes, places: Places) -> Plane:
    """What the colours of frames that were brushed on say of some pixels."""
    rows, columns = (part.astype(np.int32) for part in places)
    said = np.zeros(len(rows), np.float32)
    for memory in scene.memory.values():
        share, _ = colours.likelihood(memory, lab, (rows, columns), np.zeros((len(rows), 2), np.float32))
        said += evidence.odds(share) / len(scene.memory)
    return said


def summed(found: Colours, inside: Plane, unsure: Plane, along: Plane) -> Plane:
    """Logarithm of the odds by colours and by the carried shape.

    Parameters
    ----------
    inside : (n,) float32
        Distance to the carried outline, above 0 inside.
    unsure, along : (n,) float32
        How far motion there is not to be believed, and how far the outline is looked for there at all, 0..1.
    """
    local = _NEAR * found.trust * found.nearby + (_WHOLE + (_ALONE - _WHOLE) * (1 - found.trust)) * found.whole
    # Where colours part well, the carried shape is needed less.
    believed = (1 - (1 - _LOOSE) * unsure) * along
    return np.asarray(local + _SHAPE * believed * (1.3 - found.trust) * np.clip(inside, -_DEEP, _DEEP), np.float32)
