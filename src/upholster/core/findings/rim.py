"""How the rim of the subject departs from what lies below it."""

from dataclasses import dataclass
from functools import cached_property
from typing import NamedTuple

import cv2
import numpy as np

from upholster.core.findings.seen import Mask, Plane, Seen

#: Share of the square around that has to lie deep enough to tell.
_TELLS = 0.12


class Departure(NamedTuple):
    """How far a rim is from what lies below, how far that differs from itself (its deviation), and the rim's mean."""

    away: Plane
    rough: Plane
    there: Plane


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

    def departs(self, values: Plane) -> Departure:
        """How the rim differs in some values from what lies below it."""
        inside = values * self.inner
        small = self._small(inside)
        # What is averaged over much is averaged at half the size again.
        own = _mean(small, self.around / 2) * self._per_around
        # Where parts of different colours meet, one of them is not the other's fringe.
        wide = _mean(small, self.beyond / 2) * self._per_beyond
        spread = _mean(self._small(values * inside), self.beyond / 2) * self._per_beyond - wide * wide
        there = _mean(values * self.weight, self.along) * self._per_along
        rough = self._enlarged(np.sqrt(np.maximum(spread, np.float32(0))))
        return Departure(there - self._enlarged(own), rough, there)

    def tinted(self, here: Seen, *, pure: float, rough: float, grey: float) -> Plane:
        """How much more of the screen's hue the rim has than what lies below it.

        Parameters
        ----------
        pure, rough : float
            How much of a departure in other hues, and of what the colours below differ from each other, is taken off.
        grey : float
            How far on the other side of grey from the screen's hue the rim may lie. What is no greener than grey, say,
            is a paler part of the subject, and nothing of a green screen.
        """
        hued, other = self.departs(here.hued), self.departs(here.other)
        more = hued.away - np.float32(pure) * np.abs(other.away) - np.float32(rough) * hued.rough
        return np.minimum(more, hued.there + np.float32(grey)).astype(np.float32, copy=False)

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
