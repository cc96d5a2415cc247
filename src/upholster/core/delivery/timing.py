"""Which frames of a take each delivered frame shows."""

import math
from collections.abc import Iterable
from fractions import Fraction
from typing import NamedTuple


class Mix(NamedTuple):
    """A delivered frame: frame `first` of the take, with `weight` 0..1 of the one after."""

    first: int
    weight: float


class Timing(NamedTuple):
    """How a take of `length` frames is spread over delivered ones.

    Attributes
    ----------
    frames : int
        How many frames are delivered.
    rate : Fraction
        Frames a second of the delivered clip.
    step : Fraction
        Frames of the take from one delivered frame to the next.
    blend : bool
        Whether frames between two of the take are blended, or the earlier one is repeated.
    """

    length: int
    frames: int
    rate: Fraction
    step: Fraction
    blend: bool

    def mix(self, number: int) -> Mix:
        """What delivered frame `number` shows."""
        at = number * self.step
        first = min(int(at), self.length - 1)
        between = float(at - first) if self.blend and first < self.length - 1 else 0.0
        return Mix(first, between)

    def needed(self, numbers: Iterable[int]) -> list[int]:
        """The frames of the take that delivered frames are made from, in order."""
        wanted: set[int] = set()
        for mix in map(self.mix, numbers):
            wanted.update((mix.first, mix.first + 1) if mix.weight else (mix.first,))
        return sorted(wanted)


def timing(length: int, source: Fraction, rate: Fraction, speed: Fraction, blend: bool) -> Timing:
    """Spread a take of `length` frames at `source` a second, played at `speed`, over frames at `rate` a second."""
    step = source * speed / rate
    # The last frame of the take stays on for its whole time; a rest of half a frame makes one more.
    frames = max(1, math.floor(length / step + Fraction(1, 2)))
    return Timing(length, frames, rate, step, blend)
