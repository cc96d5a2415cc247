"""How the camera moved: what maps the ground of one frame onto that of another."""

from collections.abc import Callable

import cv2
import numpy as np
from cachetools import LRUCache
from numpy.typing import NDArray

from upholster.core.trace.seen import Bytes, Seen

Numbers = NDArray[np.float64]

#: Most features that are followed, and how near to each other they may lie, in pixels of half the size.
_FEATURES, _APART = 250, 8
#: A feature counts that comes back within so many pixels, and that then lies within so many of the motion of all.
_COMES_BACK, _OFF = 0.5, 1.0
#: Fewer than this tell nothing.
_FEWEST = 12
_KEPT = 4096


class Camera:
    """Motion of the ground from frame to frame; what was found is kept.

    Parameters
    ----------
    seen
        Gives a frame by its number.
    subject
        Gives where the subject is known to be on a frame, not 0 there, at half the size; None where it is not known.
    """

    def __init__(self, seen: Callable[[int], Seen], subject: Callable[[int], Bytes | None]) -> None:
        self._seen, self._subject = seen, subject
        self._steps: LRUCache[int, Numbers] = LRUCache(_KEPT)

    def between(self, before: int, after: int) -> Numbers:
        """The map ``(3, 3)`` from places on the ground of one frame to those of another, at working size."""
        low, high = min(before, after), max(before, after)
        whole = np.eye(3)
        for number in range(low, high):
            whole = self._step(number) @ whole
        return whole if before <= after else np.asarray(np.linalg.inv(whole), np.float64)

    def _step(self, number: int) -> Numbers:
        """From a frame to the next."""
        known = self._steps.get(number)
        if known is None:
            before, after = self._seen(number), self._seen(number + 1)
            half = ground_motion(before.grey, after.grey, self._subject(number))
            (width, height), (wide, high) = before.size, before.grey.shape[::-1]
            up = np.diag([width / wide, height / high, 1.0])
            known = up @ half @ np.linalg.inv(up)
            self._steps[number] = known
        return known


def ground_motion(before: Bytes, after: Bytes, subject: Bytes | None) -> Numbers:
    """The motion ``(3, 3)`` that most of a picture shares; none where there is too little to tell.

    Notes
    -----
    Corners followed by pyramids of Lucas and Kanade, believed where they come back to their place, and fitted by an
    affine map (Fischler and Bolles 1981, RANSAC). The features are spread evenly, so a subject that fills less than
    half of the picture is outvoted where it is not known yet.
    """
    mask = None if subject is None else np.where(subject > 0, 0, 255).astype(np.uint8)
    found = cv2.goodFeaturesToTrack(before, _FEATURES, 0.003, _APART, mask=mask)
    if found is None or len(found) < _FEWEST:
        return np.eye(3)
    there, ok, _ = cv2.calcOpticalFlowPyrLK(before, after, found, None, winSize=(13, 13), maxLevel=3)
    back, again, _ = cv2.calcOpticalFlowPyrLK(after, before, there, None, winSize=(13, 13), maxLevel=3)
    good = (ok[:, 0] == 1) & (again[:, 0] == 1) & (np.hypot(*(found - back)[:, 0].T) < _COMES_BACK)
    if good.sum() < _FEWEST:
        return np.eye(3)
    # The same draw each time: a run done again gives the same mattes.
    cv2.setRNGSeed(0)
    motion, inside = cv2.estimateAffine2D(found[good], there[good], ransacReprojThreshold=_OFF)
    if motion is None or inside.sum() < _FEWEST:
        return np.eye(3)
    return np.vstack([motion, [0.0, 0.0, 1.0]])
