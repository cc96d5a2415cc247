"""How the rim of the subject departs from what lies below it."""

from typing import NamedTuple

import cv2
import numpy as np

from upholster.core.findings.seen import Mask, Plane


class Rim(NamedTuple):
    """A rim, and what it is compared with; all at half the size.

    Attributes
    ----------
    weight : (h, w) float32
        How much each pixel of the rim counts.
    inner : (h, w) float32
        1 where the subject's own colour is taken from.
    along, around, beyond : float
        Sides of the squares in which the rim is averaged, what is below it, and in which that is seen to differ; in
        pixels.
    """

    weight: Plane
    inner: Plane
    along: float
    around: float
    beyond: float

    @property
    def known(self) -> Mask:
        """Where anything lies below that tells."""
        return _mean(self.inner, self.around) > 0.06

    def departs(self, values: Plane) -> tuple[Plane, Plane]:
        """How far values of the rim are from those below, and how far those are from each other (their deviation)."""
        there = np.maximum(_mean(self.weight, self.along), np.float32(1e-4))
        inside = values * self.inner
        own = _mean(inside, self.around) / np.maximum(_mean(self.inner, self.around), np.float32(1e-4))
        # Where parts of different colours meet, one of them is not the other's fringe.
        sure = np.maximum(_mean(self.inner, self.beyond), np.float32(1e-4))
        wide = _mean(inside, self.beyond) / sure
        rough = np.sqrt(np.maximum(_mean(values * inside, self.beyond) / sure - wide * wide, np.float32(0)))
        away = _mean(values * self.weight, self.along) / there - own
        return np.asarray(away, np.float32), np.asarray(rough, np.float32)


def _mean(values: Plane, side: float) -> Plane:
    odd = 2 * round(side / 2) + 1
    return cv2.boxFilter(values, -1, (odd, odd), borderType=cv2.BORDER_REPLICATE).astype(np.float32, copy=False)
