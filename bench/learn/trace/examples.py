"""What the trace knows of clips of its bench while it carries mattes over them, beside the truth."""

from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any, NamedTuple
from unittest.mock import patch

import cv2
import numpy as np
from bench.learn import clips
from bench.trace.__main__ import Plate
from bench.trace.plates import FAMILIES, WITHOUT_PLATE
from numpy.typing import NDArray

from upholster.core.trace import anchor, carry, weighed
from upholster.core.trace.cues import Cues
from upholster.core.trace.geometry import Box
from upholster.core.trace.settle import settle

Half = NDArray[np.float16]

#: Families in turn; more often those that a sum of cues alone follows worst.
FAMILIES_IN_TURN = (*FAMILIES, *WITHOUT_PLATE, "walking", "similar", "passed", "haired")


class Example(NamedTuple):
    """A part of a frame as the trace saw it.

    Attributes
    ----------
    told : (TOLD, h, w) float16
    said : (h, w) float16
        The sum of the cues.
    truth : (h, w) float16
        Share of each pixel that is the subject's.
    """

    told: Half
    said: Half
    truth: Half


def make(folder: Path, seeds: Iterable[int]) -> None:
    """Trace a clip of each seed that is not there yet, on all cores."""
    clips.make(folder, seeds, FAMILIES_IN_TURN, _seen)


def take(path: Path) -> list[Example]:
    """The examples of a clip."""
    with np.load(path) as kept:
        count = len(kept.files) // len(Example._fields)
        return [Example(*(kept[f"{part}{n}"] for part in Example._fields)) for n in range(count)]


@contextmanager
def _seen(plate: Plate, share: float, draw: np.random.Generator) -> Iterator[list[Example]]:
    """The examples of a share of what is settled meanwhile."""
    found: list[Example] = []
    where: list[tuple[int, Box]] = []
    ask = weighed.corrected

    def settled(scene: Any, number: int, box: Box, *rest: Any, **more: Any) -> Any:
        where[:] = [(number, box)]
        return settle(scene, number, box, *rest, **more)

    def asked(cues: Cues) -> Any:
        if draw.random() < share:
            ((number, box),) = where
            subject = (plate.truth[number][box.slices] >= 0.5).astype(np.float32)
            truth = cv2.resize(subject, cues.said.shape[::-1], interpolation=cv2.INTER_AREA)
            found.append(Example(*(p.astype(np.float16) for p in (weighed.told(cues), cues.said, truth))))
        return ask(cues)

    with (
        patch.object(carry, "settle", settled),
        patch.object(anchor, "settle", settled),
        patch.object(weighed, "corrected", asked),
    ):
        yield found
