"""The frames of a clip while a subject is traced on them, and what is known of it so far."""

from collections.abc import Callable
from functools import cached_property

import cv2
import numpy as np
from cachetools import LRUCache
from numpy.typing import NDArray

from upholster.core.trace.camera import Camera
from upholster.core.trace.colours import Range, Windows
from upholster.core.trace.geometry import Box, Mask
from upholster.core.trace.plate import Ground, Other, clean_plate, others_of
from upholster.core.trace.seen import Bytes, Seen

Plane = NDArray[np.float32]

#: How far the parts of a subject may lie apart that was brushed on in one: a post may pass before it, in pixels.
_GAP = 56.0
#: Frames on which the subject is remembered.
_REMEMBERED = 64


class Scene:
    """The frames of a clip while a subject is traced, and what is known of it so far.

    Parameters
    ----------
    read
        Gives a frame by its number.
    length : int
        How many there are.
    base : int
        The frame whose range of colours is the clip's.
    band : float
        How far to either side of an outline coverage lies between, in pixels of its pictures.
    """

    def __init__(self, read: Callable[[int], Seen], length: int, base: int = 0, band: float = 3.0) -> None:
        self.seen, self.length, self.band, self._base = read, length, band, base
        self._subjects: LRUCache[int, Bytes] = LRUCache(_REMEMBERED)
        self._camera = Camera(read, self._half)
        #: How often the subject of a frame was noted.
        self._noted: dict[int, int] = {}
        self._whole: LRUCache[tuple[int, ...], Ground] = LRUCache(2)
        self.soft: LRUCache[int, Mask] = LRUCache(_REMEMBERED)
        #: How far the subject's parts may lie apart, in pixels.
        self.gap = _GAP
        #: Colours of the frames that were brushed on, the latest last.
        self.memory: dict[int, Windows] = {}

    @cached_property
    def colours(self) -> Range:
        """The range within which colours of the clip are told apart."""
        return Range.of(self.seen(self._base).lab)

    def remember(self, number: int, cover: Plane) -> None:
        """Note where the subject is on a frame, with a little around it."""
        mask = (cover > 0.1).astype(np.uint8) * 255
        self._subjects[number] = cv2.dilate(mask, np.ones((11, 11), np.uint8))
        self._noted[number] = self._noted.get(number, 0) + 1

    def soft_at(self, number: int, box: Box) -> Mask | None:
        """Where it was brushed that coverage lies between, as that was carried to a frame."""
        found = self.soft.get(number)
        return None if found is None else found[box.slices]

    def _half(self, number: int) -> Bytes | None:
        mask = self._subjects.get(number)
        return None if mask is None else cv2.resize(mask, self.seen(number).grey.shape[::-1])

    def ground_moved(self, number: int, other: int, box: Box) -> NDArray[np.float32]:
        """Where the ground of each pixel of a part at half the size lies on another frame: x and y in that part."""
        # Middles of blocks of two by two, in pixels of the whole.
        x, y = np.meshgrid(np.arange(box.left, box.right, 2) + 0.5, np.arange(box.top, box.bottom, 2) + 0.5)
        there = np.dstack([x, y]).astype(np.float32)
        moved = cv2.perspectiveTransform(there, self._camera.between(number, other))
        return np.asarray(moved - np.array((box.left, box.top)), np.float32)

    def ground(self, number: int, box: Box, wanted: Mask | None = None) -> Ground | None:
        """The clean plate of a part of a frame, or of what is wanted of it; None for a clip of a few frames."""
        numbers = others_of(number, self.length)
        if len(numbers) < 3:
            return None
        # While a frame is brushed on, the ground of all of it is asked for again and again.
        name = number, *(self._noted.get(other, 0) for other in numbers)
        whole = self._whole.get(name)
        if whole is not None:
            return Ground(*(np.ascontiguousarray(part[box.slices]) for part in whole))
        others = [
            Other(self.seen(other).lab, self._subjects.get(other), self._camera.between(other, number))
            for other in numbers
        ]
        if wanted is not None:
            return clean_plate(others, box.left, box.top, wanted)
        width, height = self.seen(number).size
        whole = self._whole[name] = clean_plate(others, 0, 0, np.ones((height, width), np.bool_))
        return Ground(*(np.ascontiguousarray(part[box.slices]) for part in whole))

    def prepare(self, number: int) -> None:
        """Find out what a first matte of a frame needs, before there are strokes: the clean plate, and the camera."""
        self.ground(number, Box(0, 0, *self.seen(number).size))
