"""What a layer of a fitting is made from: a shot in its own time, or footage as it is."""

import io
from collections.abc import Generator, Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from upholster.core.composite.layers import Size
from upholster.core.documents.fitting import Layer
from upholster.core.documents.recipe import Recipe, Take
from upholster.core.documents.screen import Screen
from upholster.core.raster import Raster
from upholster.core.timemap import TimeMap, time_map
from upholster.media.decoder.sound import take_sound
from upholster.media.sound import SoundWanted, sound_wanted
from upholster.studio.making.elements import finished
from upholster.studio.making.keying import Footage, Job, KeyedFrame, KeyJob
from upholster.studio.making.retiming import retimed_frames

Plane = NDArray[np.float32]


class Taken(NamedTuple):
    """A shot as its take delivers it, at its own rate: what a layer shows."""

    job: KeyJob

    @property
    def _times(self) -> TimeMap:
        facts = self.job.footage.facts
        return time_map(self.job.recipe.take, facts.length, facts.rate)

    @property
    def footage(self) -> Footage:
        facts = self.job.footage.facts
        width, height = self.job.recipe.take.result(Raster.of_plate(facts.width, facts.height)).size
        taken = facts.model_copy(update={"length": self._times.frames, "width": width, "height": height})
        return self.job.footage._replace(facts=taken)

    @property
    def recipe(self) -> Recipe:
        return Recipe()

    def frames(self, numbers: Sequence[int]) -> Generator[KeyedFrame]:
        return retimed_frames(self.job, self._times, numbers)

    def sound(self, wanted: SoundWanted) -> bytes | None:
        facts = self.job.footage.facts
        taken = self.job.sound(sound_wanted(self._times, facts.rate, facts.length, "mov").anew)
        return take_sound(io.BytesIO(taken), wanted) if taken else None


class Apart(NamedTuple):
    """A layer by itself: its pictures at their own size and in their own time, with the layer's finish."""

    job: Job
    layer: Layer

    @property
    def footage(self) -> Footage:
        return self.job.footage

    @property
    def recipe(self) -> Recipe:
        return Recipe()

    def frames(self, numbers: Sequence[int]) -> Generator[KeyedFrame]:
        for number, frame in zip(numbers, self.job.frames(numbers), strict=True):
            yield KeyedFrame(*finished(frame.rgb, frame.alpha, self.layer.finish, number), frame.damaged)

    def sound(self, wanted: SoundWanted) -> bytes | None:
        return self.job.sound(wanted)


def unkeyed(footage: Footage) -> Job:
    """Footage as it is, with the alpha it brings, its pixels made square."""
    aspect = footage.facts.pixel_aspect
    job = KeyJob(footage, Recipe(screen=Screen(kind="none"), take=Take(pixel_aspect=aspect)), None)
    return job if aspect == 1 else Taken(job)


def has_pictures(job: Job) -> bool:
    """Whether there is anything to see in what a layer is made from."""
    return job.footage.facts.kind != "sound"


def size_of(job: Job) -> Size:
    """What a layer's pictures are like."""
    facts = job.footage.facts
    return Size(facts.width, facts.height, facts.length, facts.rate)
