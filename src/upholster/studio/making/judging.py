"""All frames of a job measured for what is wrong with them, from its files alone, one after the other."""

from collections.abc import Iterator
from contextlib import closing
from typing import NamedTuple

import numpy as np

from upholster.core.documents.recipe import Recipe
from upholster.core.findings.frame import Measured, measure
from upholster.core.findings.seen import Seen
from upholster.core.grids import area
from upholster.core.pipeline.runner import Plate, around, key
from upholster.core.pipeline.stage import Picture
from upholster.core.raster import Raster
from upholster.media.decoder.frames import Frame
from upholster.media.decoder.reader import Reader
from upholster.media.proxy import fitted
from upholster.studio.making import seeing
from upholster.studio.making.keying import KeyJob


class Judged(NamedTuple):
    """A frame as it was seen, and what is wrong with it."""

    seen: Seen
    measured: Measured


def judged(job: KeyJob, frames: range) -> Iterator[Judged]:
    """Measure frames of a job in rising order, small, as the Bench does."""
    recipe = seeing.looked_at(job.recipe)
    length = job.footage.facts.length
    aside = max(around(recipe, n, job.known) for n in frames)
    first, end = max(0, frames.start - 1 - aside), min(length, frames.stop + 1 + aside)
    plates: dict[int, Plate] = {}
    held: dict[int, Seen] = {}

    def look(number: int) -> Seen | None:
        if not 0 <= number < length:
            return None
        if number not in held:
            held[number] = _seen(job, recipe, plates, number)
        return held[number]

    with Reader(*job.footage) as reader, closing(reader.frames(range(first, end))) as coming:
        for number in frames:
            while max(plates, default=first - 1) < min(end, number + 2 + aside) - 1:
                plates[max(plates, default=first - 1) + 1] = _small(next(coming))
            here, before, after = look(number), look(number - 1), look(number + 1)
            assert here is not None
            yield Judged(here, measure(here, before, after))
            for old in [n for n in plates if n < number - 1 - aside]:
                del plates[old]
            for old in [n for n in held if n < number]:
                del held[old]


def _small(frame: Frame) -> Plate:
    """A frame at the size in which it is looked at."""
    high, wide = frame.rgb.shape[1:]
    width, height = fitted(wide, high)
    rgb = area(frame.rgb, width, height) if width < wide else frame.rgb
    alpha = None if frame.alpha is None else area(frame.alpha[None], width, height)[0]
    return Plate(np.clip(rgb, 0, 1), alpha, Raster.of_plate(wide, high, width, height))


def _seen(job: KeyJob, recipe: Recipe, plates: dict[int, Plate], number: int) -> Seen:
    def run(by: Recipe) -> Picture:
        def near(reach: int) -> list[Plate]:
            return [plates[n] for n in range(number - reach, number + reach + 1) if n != number and n in plates]

        known = job.known if by is recipe else None
        return key(plates[number], by, number, known, neighbours=near, traced=job.traced)

    return seeing.seen(number, run(seeing.plate_alone(recipe)).rgb, run(recipe), recipe)
