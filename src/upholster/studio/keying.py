"""Keying footage from its files alone: survey it, propose, key frames, write, prove."""

from collections.abc import Callable, Generator, Iterator, Sequence
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
from upholster.media.facts import AlphaKind, Facts
from upholster.media.formats import Format
from upholster.media.proof import Proof, prove
from upholster.media.writer import open_writer

Plane = NDArray[np.float32]

#: Called with the number of frames done so far; may raise to stop the work.
Progress = Callable[[int], None]


class Footage(NamedTuple):
    """Footage on disk: its files in order, and what is known of them."""

    files: tuple[Path, ...]
    facts: Facts


class Stopped(Exception):
    """The work was called off."""


def read_through(footage: Footage, each: Callable[[int, Frame], None]) -> Survey:
    """Read all of the footage once, handing every frame to `each`, and survey it on the way."""
    wanted = set(frames_to_survey(footage.facts.length))
    surveys: list[Survey] = []
    with Reader(footage.files, footage.facts) as reader:
        for number, frame in enumerate(reader.frames(range(footage.facts.length))):
            each(number, frame)
            if number in wanted:
                surveys.append(survey({number: frame.rgb}))
    return _merge(surveys)


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


def keyed_frames(
    footage: Footage, recipe: Recipe, known: ScreenKnowledge | None, numbers: range
) -> Generator[tuple[Plane, Plane]]:
    """Straight colour and alpha of frames in order, exactly as they are shown and delivered."""
    if not numbers:
        return
    aside = 1 if any(wants_around(recipe, n) for n in numbers) else 0
    read = range(max(0, numbers.start - aside), min(footage.facts.length, numbers.stop + aside))
    with Reader(footage.files, footage.facts) as reader, closing(reader.frames(read)) as frames:
        held: dict[int, Frame] = {}
        coming = zip(read, frames, strict=True)
        for number in numbers:
            while number + aside not in held and (arrived := next(coming, None)):
                held[arrived[0]] = arrived[1]
            frame = held[number]
            around = [held[n].rgb for n in (number - 1, number + 1) if n in held]
            keyed = key(frame.rgb, recipe, number, known, carried=frame.alpha, around=lambda: around)  # noqa: B023
            yield keyed.rgb, keyed.alpha
            held.pop(number - aside, None)


def write_keyed(
    footage: Footage,
    recipe: Recipe,
    known: ScreenKnowledge | None,
    numbers: range,
    form: Format,
    path: Path,
    alpha: AlphaKind,
    *,
    first: int = 0,
    threads: int = 1,
    progress: Progress = lambda done: None,
) -> None:
    """Key `numbers` into a file, or into a folder of pictures numbered from `first`."""
    facts = footage.facts
    writer = open_writer(
        form,
        path,
        width=facts.width,
        height=facts.height,
        rate=facts.rate,
        alpha=alpha,
        first=first,
        threads=threads,
    )
    with writer, closing(keyed_frames(footage, recipe, known, numbers)) as frames:
        for done, (rgb, cover) in enumerate(frames, 1):
            writer.write(rgb, cover)
            progress(done)


def prove_keyed(
    footage: Footage,
    recipe: Recipe,
    known: ScreenKnowledge | None,
    numbers: range,
    form: Format,
    files: list[Path],
    alpha: AlphaKind,
    *,
    progress: Progress = lambda done: None,
) -> Proof:
    """Read finished `files` back and compare them with keying the footage again."""

    def expected() -> Iterator[tuple[Plane, Plane]]:
        with closing(keyed_frames(footage, recipe, known, numbers)) as frames:
            for done, frame in enumerate(frames, 1):
                yield frame
                progress(done)

    facts = footage.facts
    return prove(
        files,
        form,
        expected(),
        count=len(numbers),
        width=facts.width,
        height=facts.height,
        rate=facts.rate,
        alpha=alpha,
    )


def screen_of(taken: Survey, recipe: Recipe, empty: Survey | None = None) -> ScreenKnowledge | None:
    """What the shot knows about its screen, from its survey, its recipe and a survey of the empty set."""
    return None if recipe.screen.paused else measure_screen(taken, recipe.screen, empty)
