"""All that is known of the pixels around a subject: what they were expected to be, and what speaks for either."""

from typing import Any, NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.core.trace import colours, evidence
from upholster.core.trace.colours import Windows
from upholster.core.trace.geometry import Mask
from upholster.core.trace.painted import DROP, KEEP
from upholster.core.trace.plate import UNKNOWN, Ground
from upholster.core.trace.scene import Scene
from upholster.core.trace.seen import Bytes

Plane = NDArray[np.float32]
Places = tuple[NDArray[np.integer[Any]], ...]

#: Weights beside that of colours nearby: of colours of the whole where those nearby are trusted (where they are not,
#: these take their place), of the carried shape, and what is left of that where motion is unsure.
_WHOLE, _SHAPE, _LOOSE = 0.35, 0.22, 0.4
#: How far from its outline the carried shape speaks louder, in pixels.
_DEEP = 10
#: How far away parts come back that were hidden, in the subject's own colours; and how far inside cues are looked at,
#: in pixels.
FARTHEST, _DEEPEST = 72, 80


class Carried(NamedTuple):
    """What is expected on a part of a frame, from a frame beside it or from strokes.

    Attributes
    ----------
    cover : (h, w) float32
        Coverage.
    moved : (h, w, 2) float32
        Where each pixel was on the picture whose colours were learnt, as x and y.
    unsure : (h, w) bool
        Where that is not to be believed.
    changed : (h, w) uint8
        How far its colour is from the one it had there, summed over L*a*b* up to 255.
    ground : (h / 2, w / 2, 2) float32
        Where each pixel of half the size would have been if it were the ground's, as x and y.
    """

    cover: Plane
    moved: NDArray[np.float32]
    unsure: Mask
    changed: Bytes
    ground: NDArray[np.float32]


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
        The sum of what the clean plate, the colours and the carried shape say.
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


def resting(cover: Plane) -> Carried:
    """What is expected where nothing moved: coverage ``(h, w)`` of the very frame."""
    rows, columns = np.mgrid[0 : cover.shape[0], 0 : cover.shape[1]].astype(np.float32)
    moved = np.dstack([columns, rows])
    half = cv2.resize(moved, (cover.shape[1] // 2, cover.shape[0] // 2), interpolation=cv2.INTER_AREA)
    return Carried(cover, moved, np.zeros(cover.shape, np.bool_), np.zeros(cover.shape, np.uint8), half)


def around(
    scene: Scene,
    lab: Bytes,
    carried: Carried,
    inside: Plane,
    along: Mask,
    from_ground: Plane,
    ground: Ground | None,
    windows: Windows,
    brushed: Bytes | None,
) -> Cues:
    """All that is known of the pixels around the subject, at half the size."""
    shape = lab.shape[0] // 2, lab.shape[1] // 2

    def half(part: NDArray[np.generic]) -> Plane:
        return np.asarray(cv2.resize(part.astype(np.float32), shape[::-1], interpolation=cv2.INTER_AREA))

    small = cv2.resize(lab, shape[::-1], interpolation=cv2.INTER_AREA)
    distance, loose, moved = half(inside), half(carried.unsure), half(carried.moved)
    places = np.nonzero((distance > -FARTHEST) & (distance < _DEEPEST))
    found = Colours(*(np.zeros(shape, np.float32) for _ in range(3)))
    for plane, part in zip(found, of_colours(scene, windows, small, places, moved[places]), strict=True):
        plane[places] = part
    said = half(from_ground)
    doubt = np.full(shape, UNKNOWN, np.uint8)
    if ground is not None:
        doubt = cv2.resize(ground.doubt, shape[::-1], interpolation=cv2.INTER_NEAREST)
    strokes = np.zeros(shape, np.float32)
    if brushed is not None:
        strokes = half(brushed == KEEP) - half(brushed == DROP)
    return Cues(
        small,
        half(carried.cover),
        distance,
        loose,
        said,
        doubt,
        found,
        said + summed(found, distance, loose, half(along)),
        half(carried.changed),
        np.hypot(*cv2.split(moved - carried.ground)),
        strokes,
    )


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
    local = found.trust * found.nearby + (1 - (1 - _WHOLE) * found.trust) * found.whole
    # Where colours part well, the carried shape is needed less.
    believed = (1 - (1 - _LOOSE) * unsure) * along
    return np.asarray(local + _SHAPE * believed * (1.3 - found.trust) * np.clip(inside, -_DEEP, _DEEP), np.float32)
