"""Making a fitting from files alone: pictures of its layers read, keyed and laid over; their sounds mixed."""

import io
import math
from collections import OrderedDict
from collections.abc import Generator, Mapping, Sequence
from contextlib import closing
from itertools import islice
from types import MappingProxyType
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.core.composite.layers import Element, Size, composite, needed, trimmed, whole
from upholster.core.documents.fitting import Fitting, Layer
from upholster.core.documents.recipe import Finish, Recipe, Take
from upholster.core.documents.screen import Screen
from upholster.core.pipeline.runner import key, plate_of
from upholster.core.raster import Raster
from upholster.core.retime import between, pair_of
from upholster.core.sound.mix import Heard, Samples, mixed
from upholster.core.timemap import Mix, TimeMap, time_map
from upholster.media.decoder.sound import take_sound
from upholster.media.delivery import too_odd
from upholster.media.errors import MediaError
from upholster.media.facts import Facts
from upholster.media.mixing import limited, packed, unpacked
from upholster.media.sound import SoundWanted, sound_wanted
from upholster.studio.making.grounds import filling
from upholster.studio.making.keying import Footage, Job, KeyedFrame, KeyJob
from upholster.studio.making.retiming import retimed_frames

Plane = NDArray[np.float32]

#: What a mix is called where a codec is named, and seconds of the longest one.
_MIX, _LONGEST_MIX = "mix", 20 * 60
#: Bytes of pictures held while frames are made, of all layers together.
_HELD = 600 << 20
#: Frames looked ahead for what they show, and pictures of a layer read in one go.
_AHEAD, _RUN = 24, 8


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
        held, each = _Held(_HELD), self.fitting.layers.each
        pictures = {mark: _Pictures(job, each[mark], held) for mark, job in self.layers.items()}
        grounds = _Pictures(unkeyed(self.ground), None, held) if self.ground else None
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

    def _below(self, number: int, grounds: "_Pictures | None") -> Plane | None:
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


def has_pictures(job: Job) -> bool:
    """Whether there is anything to see in what a layer is made from."""
    return job.footage.facts.kind != "sound"


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


def heard(job: Job, mark: str, fitting: Fitting) -> Samples:
    """The sound of a layer in its own time, ``(2, n)``: at its speed, in its direction; silence at odd speeds."""
    layer, facts = fitting.layers.each[mark], job.footage.facts
    if too_odd(layer.speed):
        return np.zeros((2, 0), np.float32)
    times = time_map(layer, facts.length, facts.rate, fitting.frame.rate)
    found = job.sound(sound_wanted(times, facts.rate, facts.length, "mov").anew)
    return unpacked(found) if found else np.zeros((2, 0), np.float32)


def unkeyed(footage: Footage) -> Job:
    """Footage as it is, with the alpha it brings, its pixels made square."""
    aspect = footage.facts.pixel_aspect
    job = KeyJob(footage, Recipe(screen=Screen(kind="none"), take=Take(pixel_aspect=aspect)), None)
    return job if aspect == 1 else Taken(job)


def size_of(job: Job) -> Size:
    """What a layer's pictures are like."""
    facts = job.footage.facts
    return Size(facts.width, facts.height, facts.length, facts.rate)


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


def straight(rgba: Plane) -> tuple[Plane, Plane]:
    """Premultiplied ``(h, w, 4)`` as straight planes ``(3, h, w)`` and coverage ``(h, w)``."""
    alpha = np.ascontiguousarray(rgba[..., 3])
    rgb = np.ascontiguousarray(rgba[..., :3].transpose(2, 0, 1))
    return np.divide(rgb, alpha, out=np.zeros_like(rgb), where=alpha > 1e-6), alpha


def premultiplied(rgb: Plane, alpha: Plane) -> Plane:
    """Straight planes as premultiplied RGBA ``(h, w, 4)``."""
    out = np.empty((*alpha.shape, 4), np.float32)
    for c in range(3):
        np.multiply(rgb[c], alpha, out=out[..., c])
    out[..., 3] = alpha
    return out


def finished(rgb: Plane, alpha: Plane, finish: Finish, frame: int) -> tuple[Plane, Plane]:
    """A keyed picture with the finish of a layer."""
    if finish == Finish():
        return rgb, alpha
    recipe = Recipe(screen=Screen(kind="none"), finish=finish)
    out = key(plate_of(rgb, alpha), recipe, frame, None)
    return out.rgb, out.alpha


def element_of(rgb: Plane, alpha: Plane, finish: Finish, frame: int) -> Element:
    """A keyed picture with the finish of a layer, premultiplied, without its clear borders.

    What is clear is left out first, as far as nothing of the finish looks there: sharpening looks a little aside, and
    the light wrap at the whole.
    """
    tall, wide = alpha.shape
    at = finish.at(frame)
    aside = math.ceil(4 * at["sharpen_radius"]) + 1 if at["sharpen"] else 0
    x, y, across, down = cv2.boundingRect((alpha > 0).astype(np.uint8))
    left, top = max(x - aside, 0), max(y - aside, 0)
    part = np.s_[top : max(y + down, 1) + aside, left : max(x + across, 1) + aside]
    if finish.scene is not None:
        rgb, alpha = finished(rgb, alpha, finish, frame)
    rgb, alpha = np.ascontiguousarray(rgb[:, *part]), np.ascontiguousarray(alpha[part])
    if finish.scene is None:
        rgb, alpha = finished(rgb, alpha, finish, frame)
    return Element(premultiplied(rgb, alpha), left, top, wide, tall)


class _Held:
    """Pictures of all layers of a fitting, as many as there is room for; those used longest ago go first.

    Attributes
    ----------
    run : int
        How many pictures of a layer are worth being read in one go: fewer once some go before they were used.
    """

    def __init__(self, most: int) -> None:
        self.most, self.bytes, self.run = most, 0, _RUN
        self._each: OrderedDict[tuple[int, int], Element] = OrderedDict()
        self._unused: set[tuple[int, int]] = set()

    def find(self, layer: int, number: int) -> Element | None:
        found = self._each.get((layer, number))
        if found is not None:
            self._each.move_to_end((layer, number))
            self._unused.discard((layer, number))
        return found

    def keep(self, layer: int, number: int, element: Element) -> None:
        self._each[layer, number] = element
        self._unused.add((layer, number))
        self.bytes += element.rgba.nbytes
        while self.bytes > self.most and len(self._each) > 1:
            name, gone = self._each.popitem(last=False)
            self.bytes -= gone.rgba.nbytes
            if name in self._unused:
                self._unused.discard(name)
                self.run = max(1, self.run // 2)


class _Pictures:
    """The pictures of a layer, read a few at a time: copies of a layer are at different places of it at once."""

    def __init__(self, job: Job, layer: Layer | None, held: _Held) -> None:
        self.job, self.layer, self.held = job, layer, held

    def mixed(self, mix: Mix, wanted: Sequence[int]) -> Element:
        """A picture as a time map has it; `wanted` are those that are asked for soon, in rising order."""
        one = self.one(mix.first, wanted)
        if not mix.weight or self.layer is None:
            return one
        two = self.one(mix.second, wanted)
        pair = pair_of(straight(whole(one)), straight(whole(two)), self.layer.between)
        return trimmed(premultiplied(*between(pair, mix.weight)))

    def one(self, number: int, wanted: Sequence[int]) -> Element:
        return self.held.find(id(self), number) or self._read(number, wanted)

    def _read(self, first: int, wanted: Sequence[int]) -> Element:
        """A picture, and with it those after it that are asked for soon."""
        after = (n for n in wanted if n > first and self.held.find(id(self), n) is None)
        numbers = [first, *islice(after, self.held.run - 1)]
        finish, found = self.layer.finish if self.layer else Finish(), None
        with closing(self.job.frames(numbers)) as frames:
            for number, frame in zip(numbers, frames, strict=True):
                element = element_of(frame.rgb, frame.alpha, finish, number)
                self.held.keep(id(self), number, element)
                found = found or element
        assert found is not None
        # It is used now, unlike those after it.
        self.held.find(id(self), first)
        return found
