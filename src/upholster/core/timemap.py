"""Which frame of the footage is this? Range, speed, direction and holds, in one place."""

import math
from collections.abc import Iterable
from fractions import Fraction
from typing import Literal, NamedTuple, Self

from pydantic import Field, model_validator

from upholster.core.documents.settings import Settings

#: How frames between two of the footage are made: the earlier one again, both mixed, or moved half-way.
Between = Literal["repeat", "blend", "flow"]

#: Most frames that one is held for.
MOST_HELD = 100_000


class Timing(Settings):
    """Which frames are used, how fast, which way round, and how long the outer ones stay."""

    first: int = Field(default=0, ge=0, description="First frame used.")
    last: int | None = Field(default=None, ge=0, description="Last frame used; null for the end.")
    speed: float = Field(default=100.0, ge=10, le=1000, description="Speed in percent of the footage's own.")
    between: Between = Field(
        default="repeat",
        description="Frames between two of the footage: `repeat` the earlier one, `blend` both, or `flow`, which "
        "moves both to where things are by then.",
    )
    backwards: bool = Field(default=False, description="Play from the last frame used to the first.")
    hold_first: int = Field(default=0, ge=0, le=MOST_HELD, description="Frames the beginning is held for.")
    hold_last: int = Field(default=0, ge=0, le=MOST_HELD, description="Frames the end is held for.")

    @model_validator(mode="after")
    def _ordered(self) -> Self:
        if self.last is not None and self.last < self.first:
            raise ValueError("the out frame lies before the in frame")
        return self

    def span(self, length: int) -> range:
        """The frames used of footage with `length` frames; never empty for length > 0."""
        last = length - 1 if self.last is None else min(self.last, length - 1)
        return range(min(self.first, last), last + 1)


class Mix(NamedTuple):
    """What an output frame shows: frame `first` of the footage, with `weight` 0..1 of frame `second`."""

    first: int
    second: int
    weight: float


class TimeMap(NamedTuple):
    """From output frames to frames of the footage, and back.

    Attributes
    ----------
    span : range
        The frames used of the footage.
    frames : int
        How many frames come out, holds included.
    rate : Fraction
        Output frames a second.
    step : Fraction
        Frames of the footage from one output frame to the next.
    before, after : int
        Output frames the beginning and the end are held for.
    """

    span: range
    frames: int
    rate: Fraction
    step: Fraction
    between: Between = "repeat"
    backwards: bool = False
    before: int = 0
    after: int = 0

    @property
    def moving(self) -> range:
        """The output frames that are not held."""
        return range(self.before, self.frames - self.after)

    @property
    def plain(self) -> bool:
        """Whether frames come out as they are, one after the other."""
        return self.step == 1 and not (self.backwards or self.before or self.after)

    def mix(self, number: int) -> Mix:
        """What output frame `number` shows; beyond the ends, what they show."""
        moving = self.moving
        place = min(max(number - moving.start, 0), len(moving) - 1)
        if self.backwards:
            place = len(moving) - 1 - place
        at = place * self.step
        first = min(int(at), len(self.span) - 1)
        second = min(first + 1, len(self.span) - 1)
        weight = float(at - first) if self.between != "repeat" and second > first else 0.0
        return Mix(self.span[first], self.span[second] if weight else self.span[first], weight)

    def source(self, number: int) -> int:
        """The frame of the footage that output frame `number` shows most of."""
        mix = self.mix(number)
        return mix.second if mix.weight > 0.5 else mix.first

    def output(self, frame: int) -> int:
        """The first output frame that shows `frame` of the footage, or the nearest that comes out at all."""
        at = min(max(frame, self.span.start), self.span.stop - 1) - self.span.start
        place, last = math.ceil(at / self.step), math.ceil((at + 1) / self.step) - 1
        # Faster than the footage, a frame may be stepped over; then it is the one after.
        if self.backwards:
            place = max(place, last)
        place = min(place, len(self.moving) - 1)
        if self.backwards:
            place = len(self.moving) - 1 - place
        return self.moving.start + place

    def needed(self, numbers: Iterable[int]) -> list[int]:
        """The frames of the footage that output frames are made from, in rising order."""
        wanted: set[int] = set()
        for mix in map(self.mix, numbers):
            wanted.update((mix.first, mix.second))
        return sorted(wanted)


def time_map(timing: Timing, length: int, source: Fraction, rate: Fraction | None = None) -> TimeMap:
    """How footage of `length` frames at `source` a second comes out at `rate` a second (by default, the same).

    Holds are counted in frames of the footage's own rate.
    """
    rate = rate or source
    span = timing.span(length)
    step = source * Fraction(str(timing.speed)) / 100 / rate
    # The last frame stays on for its whole time; a rest of half a frame makes one more.
    moving = max(1, math.floor(len(span) / step + Fraction(1, 2)))
    before, after = (round(held * rate / source) for held in (timing.hold_first, timing.hold_last))
    return TimeMap(span, moving + before + after, rate, step, timing.between, timing.backwards, before, after)
