"""How the rim of the subject departs from what lies below it."""

from dataclasses import dataclass
from functools import cached_property
from typing import NamedTuple

import cv2
import numpy as np

from upholster.core.findings.seen import Mask, Plane, halved

#: Share of a square that has to belong to the rim, or to what lies below it, to tell.
_TELLS = 0.06


class Departure(NamedTuple):
    """How far a rim is from what lies just below it, on average along it; and how far that varies (its deviation)."""

    away: Plane
    rough: Plane


@dataclass(frozen=True, eq=False)
class Rim:
    """A rim, and what it is compared with, place by place.

    What it is given is at half the size of the picture, what it gives at half of that again: averages over so much
    are as good there.

    Attributes
    ----------
    weight : (h, w) float32
        How much each pixel of the rim counts.
    inner : (h, w) float32
        1 where the subject's own colour is taken from.
    across, along : float
        Sides of the squares in which rim and subject are compared, and in which that is averaged; in pixels.
    """

    weight: Plane
    inner: Plane
    across: float
    along: float

    @cached_property
    def known(self) -> Mask:
        """Where anything lies beside the rim that tells."""
        return (self._rim_near > _TELLS) & (self._inner_near > _TELLS)

    def departs(self, values: Plane) -> Departure:
        """How the rim differs in some values from what lies below it."""
        there = self._near(values * self.weight) * self._per_rim
        below = self._near(values * self.inner) * self._per_inner
        # Each place is compared with what lies below it: so parts of different colours differ along the rim in many
        # ways, and what was done to the rim in one.
        away = (there - below) * self._paired
        along = mean(away, self.along / 2) * self._per_pair
        spread = mean(away * away, self.along / 2) * self._per_pair - along * along
        return Departure(along, np.sqrt(np.maximum(spread, np.float32(0))))

    def mean(self, values: Plane) -> Plane:
        """Values that hold as much as they are covered, over the whole rim, averaged along it."""
        return mean(halved(values * (self.weight > 0)), self.along / 2) * self._per_along

    def _near(self, values: Plane) -> Plane:
        return mean(halved(values), self.across / 2)

    @cached_property
    def _rim_near(self) -> Plane:
        return self._near(self.weight)

    @cached_property
    def _inner_near(self) -> Plane:
        return self._near(self.inner)

    @cached_property
    def _per_rim(self) -> Plane:
        return inverse(self._rim_near)

    @cached_property
    def _per_inner(self) -> Plane:
        return inverse(self._inner_near)

    @cached_property
    def _per_along(self) -> Plane:
        return inverse(mean(halved(self.weight), self.along / 2))

    @cached_property
    def _paired(self) -> Plane:
        return (self.known & (halved(self.weight) > 0)).astype(np.float32)

    @cached_property
    def _per_pair(self) -> Plane:
        return inverse(mean(self._paired, self.along / 2))


def inverse(values: Plane) -> Plane:
    """One over each value; of nothing, a number that does no harm where there is nothing."""
    return np.asarray(np.float32(1) / np.maximum(values, np.float32(1e-4)), np.float32)


def mean(values: Plane, side: float) -> Plane:
    """The mean of the square around each pixel, of about so many pixels, an odd number."""
    odd = 2 * round(side / 2) + 1
    return cv2.boxFilter(values, -1, (odd, odd), borderType=cv2.BORDER_REPLICATE).astype(np.float32, copy=False)
