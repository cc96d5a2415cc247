"""Keying footage from its files alone: survey it, key frames of it."""

from collections.abc import Callable, Generator, Sequence
from contextlib import closing
from pathlib import Path
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from upholster.core.key import key, wants_around
from upholster.core.recipe import Recipe
from upholster.core.screen.clean_plate import ScreenKnowledge, measure_screen
from upholster.core.screen.survey import Survey, frames_to_survey, survey
from upholster.media.decoder.frames import Frame
from upholster.media.decoder.reader import Reader
from upholster.media.facts import Facts, Runs, as_runs

Plane = NDArray[np.float32]


class Footage(NamedTuple):
    """Footage on disk: its files in order, and what is known of them."""

    files: tuple[Path, ...]
    facts: Facts


class Making(NamedTuple):
    """Footage with the recipe it is keyed by and what is known of its screen."""

    footage: Footage
    recipe: Recipe
    known: ScreenKnowledge | None


class Through(NamedTuple):
    """What reading footage through once found: its survey, and which frames are damaged."""

    survey: Survey
    damaged: Runs


def read_through(footage: Footage, each: Callable[[int, Frame], None]) -> Through:
    """Read all of the footage once, handing every frame to `each`, and survey it on the way."""
    wanted = set(frames_to_survey(footage.facts.length))
    surveys: list[Survey] = []
    damaged: list[int] = []
    with Reader(footage.files, footage.facts) as reader:
        for number, frame in enumerate(reader.frames(range(footage.facts.length))):
            each(number, frame)
            if number in wanted:
                surveys.append(survey({number: frame.rgb}))
            if frame.damaged:
                damaged.append(number)
    return Through(_merge(surveys), as_runs(damaged))


def survey_footage(footage: Footage) -> Survey:
    """Survey footage by reading the frames it needs."""
    with Reader(footage.files, footage.facts) as reader:
        return _merge([survey({n: reader.frame(n).rgb}) for n in frames_to_survey(footage.facts.length)])


def _merge(surveys: Sequence[Survey]) -> Survey:
    first = surveys[0]
    return first._replace(
        frames=np.concatenate([s.frames for s in surveys]),
        mean=np.concatenate([s.mean for s in surveys]),
        deviation=np.concatenate([s.deviation for s in surveys]),
    )


def save_survey(path: Path, taken: Survey) -> None:
    part = path.with_suffix(".part.npz")
    np.savez(part, **taken._asdict())
    part.replace(path)


def load_survey(path: Path) -> Survey:
    with np.load(path) as stored:
        return Survey(
            stored["frames"], stored["mean"], stored["deviation"], int(stored["width"]), int(stored["height"])
        )


class Keyed(NamedTuple):
    """A keyed frame: straight colour, alpha, and whether the plate is damaged there."""

    rgb: Plane
    alpha: Plane
    damaged: bool = False


def keyed_frames(making: Making, numbers: Sequence[int]) -> Generator[Keyed]:
    """Frames in rising order, keyed exactly as they are shown and delivered."""
    if not numbers:
        return
    footage, recipe, known = making
    aside = 1 if any(wants_around(recipe, n) for n in numbers) else 0
    wanted = {n + k for n in numbers for k in range(-aside, aside + 1) if 0 <= n + k < footage.facts.length}
    with Reader(footage.files, footage.facts) as reader, closing(_read(reader, sorted(wanted))) as coming:
        held: dict[int, Frame] = {}
        for number in numbers:
            held = {n: frame for n, frame in held.items() if n >= number - aside}
            while max(held, default=-1) < min(number + aside, footage.facts.length - 1):
                held.update([next(coming)])
            frame = held[number]
            around = [held[n].rgb for n in (number - 1, number + 1) if n in held]
            keyed = key(frame.rgb, recipe, number, known, carried=frame.alpha, around=lambda: around)  # noqa: B023
            yield Keyed(keyed.rgb, keyed.alpha, frame.damaged)


def _read(reader: Reader, wanted: Sequence[int]) -> Generator[tuple[int, Frame]]:
    """Frames with their numbers, each run of neighbours decoded in one go."""
    starts = [0, *(k for k in range(1, len(wanted)) if wanted[k] != wanted[k - 1] + 1), len(wanted)]
    for first, end in zip(starts, starts[1:], strict=False):
        run = range(wanted[first], wanted[end - 1] + 1)
        with closing(reader.frames(run)) as frames:
            yield from zip(run, frames, strict=True)


def screen_of(taken: Survey, recipe: Recipe, empty: Survey | None = None) -> ScreenKnowledge | None:
    """What the shot knows about its screen, from its survey, its recipe and a survey of the empty set."""
    return None if recipe.screen.paused else measure_screen(taken, recipe.screen, empty)
