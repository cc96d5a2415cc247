"""What the trace's network of single pixels is told on frames of the trace's bench, with the coverage that is true."""

from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any
from unittest.mock import patch

import numpy as np
from bench.learn import clips, places
from bench.learn.places import Example, in_blocks
from bench.trace.__main__ import Plate
from bench.trace.plates import FAMILIES, TAUGHT, WITHOUT_PLATE

from upholster.core.trace import fine, outline, settle
from upholster.core.trace.geometry import Box

#: Families in turn; more often those with hair, and those that are followed worst.
FAMILIES_IN_TURN = (*FAMILIES, *WITHOUT_PLATE, *TAUGHT, "maned", "haired", "blurred", "walking", "similar", "passed")
#: Of fewer places than this a frame teaches nothing.
_LEAST = 200


def make(folder: Path, seeds: Iterable[int]) -> None:
    """Trace a clip of each seed that is not there yet, on all cores."""
    clips.make(folder, seeds, FAMILIES_IN_TURN, _seen)


def load(folder: Path) -> list[Example]:
    """All examples that were made."""
    return places.load(folder)


@contextmanager
def _seen(plate: Plate, share: float, draw: np.random.Generator) -> Iterator[list[Example]]:
    """The examples of a share of the frames that are traced meanwhile."""
    found: list[Example] = []
    where: list[tuple[int, Box]] = []
    cover, tell = outline.covered, fine.told

    def covered(scene: Any, number: int, box: Box, *rest: Any) -> Any:
        where[:] = [(number, box)]
        return cover(scene, number, box, *rest)

    def telling(known: fine.Known, away: Any, at: Any) -> Any:
        told = tell(known, away, at)
        if draw.random() < share and len(at) >= _LEAST:
            ((number, box),) = where
            true = in_blocks(plate.truth[number][box.slices])[at[:, 0], at[:, 1]]
            found.append(Example(at, told.astype(np.float16), true.astype(np.float16)))
        return told

    with patch.object(settle, "covered", covered), patch.object(fine, "told", telling):
        yield found
