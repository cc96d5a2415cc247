"""Parts of a picture, and distances in it."""

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

Plane = NDArray[np.float32]
Mask = NDArray[np.bool_]

#: Share of the largest part's area from which on another counts, and how many do at most.
_PART, _MOST_PARTS = 0.002, 20


class Box(NamedTuple):
    """A part of a picture; even, so that it is whole at half the size."""

    left: int
    top: int
    right: int
    bottom: int

    @property
    def slices(self) -> tuple[slice, slice]:
        return slice(self.top, self.bottom), slice(self.left, self.right)

    @property
    def half(self) -> tuple[slice, slice]:
        return slice(self.top // 2, self.bottom // 2), slice(self.left // 2, self.right // 2)


def box_around(where: Mask, margin: int) -> Box | None:
    """The part of a picture around what is not 0; None where all is."""
    left, top, width, height = cv2.boundingRect(where.astype(np.uint8))
    if not width:
        return None
    right, bottom = min(where.shape[1], left + width + margin), min(where.shape[0], top + height + margin)
    left, top = max(0, left - margin) // 2 * 2, max(0, top - margin) // 2 * 2
    return Box(left, top, left + (right - left) // 2 * 2, top + (bottom - top) // 2 * 2)


def signed_distance(inside: Mask) -> Plane:
    """Distance to the outline in pixels, ``(h, w)`` float32: above 0 inside, below outside."""
    mask = inside.astype(np.uint8)
    within = cv2.distanceTransform(mask, cv2.DIST_L2, 3)
    without = cv2.distanceTransform(1 - mask, cv2.DIST_L2, 3)
    return np.asarray(np.where(inside, within - 0.5, 0.5 - without), np.float32)


def in_whole(part: Mask, box: Box, shape: tuple[int, ...]) -> Mask:
    """A part of a picture in the whole of it, ``shape`` high and wide; False around it."""
    whole = np.zeros(shape[:2], np.bool_)
    whole[box.slices] = part
    return whole


def widest_gap(inside: Mask) -> float:
    """How far one has to reach, in pixels, to go from each larger part of a shape over the others to the largest.

    Parts are linked nearest first (Prim 1957, "Shortest connection networks").
    """
    count, parts, stats, _ = cv2.connectedComponentsWithStats(inside.astype(np.uint8))
    sizes = stats[1:, cv2.CC_STAT_AREA]
    left = {1 + int(k) for k in np.argsort(-sizes)[:_MOST_PARTS] if sizes[k] > _PART * sizes.max()}
    if len(left) < 2:
        return 0.0
    linked = {1 + int(sizes.argmax())}
    left -= linked
    widest = 0.0
    away = cv2.distanceTransform((~np.isin(parts, list(linked))).astype(np.uint8), cv2.DIST_L2, 5)
    while left:
        gaps = {part: float(away[parts == part].min()) for part in left}
        nearest = min(gaps, key=gaps.__getitem__)
        widest = max(widest, gaps[nearest])
        left.remove(nearest)
        away = np.minimum(away, cv2.distanceTransform((parts != nearest).astype(np.uint8), cv2.DIST_L2, 5))
    return widest
