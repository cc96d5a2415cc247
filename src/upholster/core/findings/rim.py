"""How the rim of the subject departs from what lies below it."""

from dataclasses import dataclass
from functools import cached_property

import cv2
import numpy as np

from upholster.core.findings.seen import Mask, Plane

#: Share of the square around that has to lie deep enough to tell.
_TELLS = 0.12


@dataclass(frozen=True, eq=False)
class Rim:
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

    @cached_property
    def known(self) -> Mask:
        """Where anything lies below that tells."""
        return self._enlarged(_mean(self._small(self.inner), self.around / 2)) > _TELLS

    def departs(self, values: Plane) -> tuple[Plane, Plane, Plane]:
        """How far values of the rim are from those below, how far those are from each other (their deviation), and
        the rim's own on average.
        """
        inside = values * self.inner
        small = self._small(inside)
        # What is averaged over much is averaged at half the size again.
        own = _mean(small, self.around / 2) * self._per_around
        # Where parts of different colours meet, one of them is not the other's fringe.
        wide = _mean(small, self.beyond / 2) * self._per_beyond
        spread = _mean(self._small(values * inside), self.beyond / 2) * self._per_beyond - wide * wide
        there = _mean(values * self.weight, self.along) * self._per_along
        return there - self._enlarged(own), self._enlarged(np.sqrt(np.maximum(spread, np.float32(0)))), there

    @cached_property
    def _per_along(self) -> Plane:
        return _inverse(_mean(self.weight, self.along))

    @cached_property
    def _per_around(self) -> Plane:
        return _inverse(_mean(self._small(self.inner), self.around / 2))

    @cached_property
    def _per_beyond(self) -> Plane:
        return _inverse(_mean(self._small(self.inner), self.beyond / 2))

    def _small(self, values: Plane) -> Plane:
        height, width = values.shape
        size = max(1, width // 2), max(1, height // 2)
        return cv2.resize(values, size, interpolation=cv2.INTER_AREA).astype(np.float32, copy=False)

    def _enlarged(self, values: Plane) -> Plane:
        return cv2.resize(values, self.weight.shape[::-1]).astype(np.float32, copy=False)


def _inverse(values: Plane) -> Plane:
    return np.asarray(1 / np.maximum(values, 1e-4), np.float32)


def _mean(values: Plane, side: float) -> Plane:
    odd = 2 * round(side / 2) + 1
    return cv2.boxFilter(values, -1, (odd, odd), borderType=cv2.BORDER_REPLICATE).astype(np.float32, copy=False)
