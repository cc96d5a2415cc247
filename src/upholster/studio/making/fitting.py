"""Making a fitting from files alone: its layers laid over each other, their sounds mixed."""

import io
from collections.abc import Generator, Mapping, Sequence
from types import MappingProxyType
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from upholster.core.composite.layers import Element, composite, needed, whole
from upholster.core.documents.fitting import Fitting
from upholster.core.documents.recipe import Recipe
from upholster.core.sound.mix import Heard, Samples, mixed
from upholster.core.timemap import Mix
from upholster.media.decoder.sound import take_sound
from upholster.media.errors import MediaError
from upholster.media.facts import Facts
from upholster.media.mixing import limited, packed
from upholster.media.sound import SoundWanted
from upholster.studio.making.elements import straight
from upholster.studio.making.grounds import filling
from upholster.studio.making.keying import Footage, Job, KeyedFrame
from upholster.studio.making.layer_footage import has_pictures, size_of, unkeyed
from upholster.studio.making.layer_pictures import Held, Pictures
from upholster.studio.making.layer_sound import heard

Plane = NDArray[np.float32]

#: What a mix is called where a codec is named, and seconds of the longest one.
_MIX, _LONGEST_MIX = "mix", 20 * 60
#: Bytes of pictures held while frames are made, of all layers together.
_HELD = 600 << 20
#: Frames looked ahead for what they show.
_AHEAD = 24


class FitJob(NamedTuple):
    """A fitting with what its layers and its ground are made from, by the marks of the layers."""

    fitting: Fitting
    #: What the pictures are made from, and what is heard.
    layers: Mapping[str, Job]
    sounds: Mapping[str, Job] = MappingProxyType({})
    ground: Footage | None = None
    #: Whether the ground is part of what comes out.
    over_ground: bool = True

    @property
    def footage(self) -> Footage:
        """A fitting as something that is delivered: no files, and the facts of what comes out."""
        wanted = self.fitting
        return Footage(
            (),
            Facts(
                kind="video",
                container="fitting",
                codec="",
                width=wanted.frame.width,
                height=wanted.frame.height,
                length=wanted.frame.length,
                rate=wanted.frame.rate,
                depth=10,
                alpha=True,
                alpha_kind="straight",
                sound=_MIX if self.sounds else "",
            ),
        )

    @property
    def recipe(self) -> Recipe:
        return Recipe()

    def frames(self, numbers: Sequence[int]) -> Generator[KeyedFrame]:
        """Frames in the order asked for, straight."""
        sizes = {mark: size_of(job) for mark, job in self.layers.items()}
        held, each = Held(_HELD), self.fitting.layers.each
        pictures = {mark: Pictures(job, each[mark], held) for mark, job in self.layers.items()}
        grounds = Pictures(unkeyed(self.ground), None, held) if self.ground else None
        wanted: dict[str, list[int]] = {}
        for position, number in enumerate(numbers):
            if position % _AHEAD == 0:
                wanted = needed(self.fitting, numbers[position : position + _AHEAD], sizes)
            marks = wanted

            def picture(mark: str, mix: Mix, marks: dict[str, list[int]] = marks) -> Element:
                return pictures[mark].mixed(mix, marks[mark])

            below = self._below(number, grounds) if self.over_ground else None
            rgba = composite(self.fitting, number, sizes, picture, below)
            yield KeyedFrame(*straight(rgba))

    def mix(self) -> Samples:
        """The sounds of all layers together, ``(2, n)``, as they are delivered.

        Raises
        ------
        MediaError
            Where the fitting is too long to be mixed at once.
        """
        frame = self.fitting.frame
        if frame.length / frame.rate > _LONGEST_MIX:
            raise MediaError(
                f"The sound of more than {_LONGEST_MIX // 60} minutes cannot be mixed. Deliver without it."
            )
        each = (
            Heard(heard(job, mark, self.fitting), self.fitting.layers.each[mark]) for mark, job in self.sounds.items()
        )
        samples = mixed(each, frame.length, frame.rate)
        return limited(samples) if self.fitting.sound.limited else samples

    def sound(self, wanted: SoundWanted) -> bytes | None:
        """The mix as it is wanted, as a file of its own; None where nothing is heard."""
        return take_sound(io.BytesIO(packed(self.mix())), wanted) if self.sounds else None

    def _below(self, number: int, grounds: "Pictures | None") -> Plane | None:
        if grounds is None:
            return colour_below(self.fitting)
        wanted = ground_frame(self.fitting, grounds.job, number)
        rgba = whole(grounds.one(wanted, [wanted]))
        return filling(rgba[..., :3].transpose(2, 0, 1), self.fitting.frame.width, self.fitting.frame.height)


def fit_job(fitting: Fitting, made_from: Mapping[str, Job], ground: Footage | None, *, over_ground: bool) -> FitJob:
    """A fitting with what its layers are made from: those with pictures are seen, those with sound are heard."""
    seen = {mark: job for mark, job in made_from.items() if has_pictures(job)}
    loud = {
        mark: job for mark, job in made_from.items() if job.footage.facts.sound and not fitting.layers.each[mark].muted
    }
    return FitJob(fitting, seen, loud, ground, over_ground)


def colour_below(fitting: Fitting) -> Plane | None:
    """The one colour below all layers, ``(3, 1, 1)``; None for none."""
    if fitting.ground.colour is None:
        return None
    codes = bytes.fromhex(fitting.ground.colour[1:])
    return (np.frombuffer(codes, np.uint8).astype(np.float32) / np.float32(255)).reshape(3, 1, 1)


def ground_frame(fitting: Fitting, ground: Job, number: int) -> int:
    """Which frame of its ground a frame of a fitting lies over: it runs at its own rate and begins again."""
    facts = ground.footage.facts
    return int(number * facts.rate / fitting.frame.rate) % facts.length
