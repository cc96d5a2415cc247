"""Keying footage from its files alone: survey it, key frames of it."""

from collections.abc import Callable, Generator, Sequence
from contextlib import closing
from pathlib import Path
from typing import NamedTuple, Protocol

import numpy as np
from numpy.typing import NDArray

from upholster.core.documents.recipe import Recipe
from upholster.core.documents.traces import Trace
from upholster.core.pipeline.runner import Plate, around, key, plate_of
from upholster.core.screen.clean_plate import ScreenKnowledge, measure_screen
from upholster.core.screen.survey import Survey, Surveyed, frames_to_survey, surveyed, taken_together
from upholster.media.decoder.frames import Frame, to_frame
from upholster.media.decoder.planes import Planes
from upholster.media.decoder.reader import Reader
from upholster.media.facts import Facts, Runs, as_runs
from upholster.media.sound import SoundWanted

Plane = NDArray[np.float32]

#: Frames held at a time where they are wanted backwards.
_AT_ONCE = 8


class Footage(NamedTuple):
    """Footage on disk: its files in order, what is known of them, and where the table of its frames is kept."""

    files: tuple[Path, ...]
    facts: Facts
    table: Path | None = None


class KeyJob(NamedTuple):
    """Footage with the recipe it is keyed by, what is known of its screen, and the mattes of its traces."""

    footage: Footage
    recipe: Recipe
    known: ScreenKnowledge | None
    traced: Callable[[Trace, int], Plane | None] = lambda trace, frame: None

    def frames(self, numbers: Sequence[int]) -> "Generator[KeyedFrame]":
        """Frames in rising or in falling order, keyed exactly as they are shown and delivered."""
        return keyed_frames(self, numbers)

    def sound(self, wanted: SoundWanted) -> bytes | None:
        """The footage's sound as it is wanted, as a file of its own; None without any."""
        with Reader(*self.footage) as reader:
            return reader.sound(wanted)


class Job(Protocol):
    """What pictures are delivered from: a shot, or a fitting; its facts, its take, and its frames with alpha."""

    @property
    def footage(self) -> Footage: ...
    @property
    def recipe(self) -> Recipe: ...
    def frames(self, numbers: Sequence[int]) -> "Generator[KeyedFrame]":
        """Frames in rising or in falling order, exactly as they are shown and delivered."""

    def sound(self, wanted: SoundWanted) -> bytes | None:
        """The sound as it is wanted, as a file of its own; None without any."""


class Through(NamedTuple):
    """What reading footage through once found: its survey, and which frames are damaged."""

    survey: Survey
    damaged: Runs


def read_through(footage: Footage, each: Callable[[int, Frame], None]) -> Through:
    """Read all of the footage once, handing every frame to `each`, and survey it on the way."""
    wanted = set(frames_to_survey(footage.facts.length))
    taken: dict[int, Surveyed] = {}
    damaged: list[int] = []
    with Reader(*footage) as reader:
        for number, frame in enumerate(reader.frames(range(footage.facts.length))):
            each(number, frame)
            if number in wanted:
                taken[number] = surveyed(frame.rgb)
            if frame.damaged:
                damaged.append(number)
    return Through(_together(taken, footage), as_runs(damaged))


def survey_footage(footage: Footage) -> Survey:
    """Survey footage by reading the frames it needs."""
    with Reader(*footage) as reader:
        taken = {n: surveyed(reader.frame(n).rgb) for n in frames_to_survey(footage.facts.length)}
    return _together(taken, footage)


def _together(taken: dict[int, Surveyed], footage: Footage) -> Survey:
    return taken_together(taken, footage.facts.width, footage.facts.height)


def save_survey(path: Path, taken: Survey) -> None:
    part = path.with_suffix(".part.npz")
    np.savez(part, **taken._asdict())
    part.replace(path)


def load_survey(path: Path) -> Survey:
    with np.load(path) as stored:
        # Surveys that were taken before seams were looked for do not know what is still.
        still = stored["still"] if "still" in stored else np.full((2, 3, 1, 1), np.nan, np.float16)
        about = int(stored["width"]), int(stored["height"])
        return Survey(stored["frames"], stored["mean"], stored["deviation"], still, *about)


class KeyedFrame(NamedTuple):
    """A keyed frame as it is delivered: straight colour, alpha, and whether the plate is damaged there."""

    rgb: Plane
    alpha: Plane
    damaged: bool = False


def keyed_frames(job: KeyJob, numbers: Sequence[int]) -> Generator[KeyedFrame]:
    """Frames in rising or in falling order, keyed exactly as they are shown and delivered."""
    if not numbers:
        return
    if numbers[0] > numbers[-1]:
        # Files are read forwards: a few frames at a time, held as they are stored until their turn comes.
        for first in range(0, len(numbers), _AT_ONCE):
            yield from _falling(job, numbers[first : first + _AT_ONCE])
        return
    footage = job.footage
    aside, wanted = _wanted(job, numbers)
    with Reader(*footage) as reader, closing(_read(reader, wanted)) as coming:
        held: dict[int, Planes] = {}
        for number in numbers:
            held = {n: planes for n, planes in held.items() if n >= number - aside}
            while max(held, default=-1) < min(number + aside, footage.facts.length - 1):
                held.update([next(coming)])
            yield _keyed(job, number, held)


def _falling(job: KeyJob, numbers: Sequence[int]) -> Generator[KeyedFrame]:
    _, wanted = _wanted(job, numbers)
    with Reader(*job.footage) as reader, closing(_read(reader, wanted)) as coming:
        held = dict(coming)
    for number in numbers:
        yield _keyed(job, number, held)


def _wanted(job: KeyJob, numbers: Sequence[int]) -> tuple[int, list[int]]:
    """How far aside keying some frames looks, and all frames that have to be read."""
    aside = max(around(job.recipe, n, job.known) for n in numbers)
    beside = {n + k for n in numbers for k in range(-aside, aside + 1)}
    return aside, sorted(n for n in beside if 0 <= n < job.footage.facts.length)


def _keyed(job: KeyJob, number: int, held: dict[int, Planes]) -> KeyedFrame:
    facts = job.footage.facts

    def plate(n: int) -> Plate:
        frame = to_frame(held[n], facts)
        return plate_of(frame.rgb, frame.alpha, floating=facts.floating)

    def neighbours(reach: int) -> list[Plate]:
        return [plate(n) for n in range(number - reach, number + reach + 1) if n != number and n in held]

    picture = key(plate(number), job.recipe, number, job.known, neighbours=neighbours, traced=job.traced)
    return KeyedFrame(picture.rgb, picture.alpha, held[number].damaged)


def _read(reader: Reader, wanted: Sequence[int]) -> Generator[tuple[int, Planes]]:
    """Frames as they are stored, with their numbers, each run of neighbours decoded in one go."""
    starts = [0, *(k for k in range(1, len(wanted)) if wanted[k] != wanted[k - 1] + 1), len(wanted)]
    for first, end in zip(starts, starts[1:], strict=False):
        run = range(wanted[first], wanted[end - 1] + 1)
        with closing(reader.planes(run)) as frames:
            yield from zip(run, frames, strict=True)


def screen_of(taken: Survey, recipe: Recipe, empty: Survey | None = None) -> ScreenKnowledge | None:
    """What the shot knows about its screen, from its survey, its recipe and a survey of the empty set."""
    return None if recipe.screen.paused else measure_screen(taken, recipe.screen, empty)
