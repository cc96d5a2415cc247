"""What is told of the places along edges on frames of the key's examples, with the coverage that is true there."""

from collections.abc import Iterable
from pathlib import Path
from typing import NamedTuple

import numpy as np
from bench.learn.key import examples as filmed
from bench.learn.sized import at_some_size, kept_beside, loaded
from numpy.typing import NDArray

from upholster.core.grids import area, upsampled
from upholster.core.matting import pixels
from upholster.core.matting.learnt import corrected
from upholster.core.screen.clean_plate import ScreenKnowledge
from upholster.core.stages.matte.raw_matte import raw_matte
from upholster.core.stages.matte.subject_colours import carried_outward, subject_cells, surely_subject

#: Of fewer places than this a frame teaches nothing.
_LEAST = 200


class Example(NamedTuple):
    """The places of a frame.

    Attributes
    ----------
    places : (n, 2) int32
        Row and column of each block.
    told : (n, TOLD) float16
    alpha : (n, 4) float16
        True coverage of its pixels.
    """

    places: NDArray[np.int32]
    told: NDArray[np.float16]
    alpha: NDArray[np.float16]


def make(folder: Path, seeds: Iterable[int]) -> None:
    """Film the plates that are not there yet, and keep what is told of them in the folder ``pixels`` beside them."""
    filmed.make(folder, seeds)
    kept_beside(folder, "pixels", _told)


def load(folder: Path) -> list[Example]:
    """All examples that were made."""
    return loaded(folder / "pixels", Example)


def _told(frame: filmed.Example, draw: np.random.Generator) -> Example | None:
    planes = [p.astype(np.float32) for p in (frame.plate, frame.screen, frame.alpha[None])]
    plate, screen, (alpha,) = at_some_size(*planes, draw=draw)
    alpha = alpha.clip(0, 1)
    height, width = alpha.shape
    cells = subject_cells(plate)
    clean = area(screen, cells.shape[2], cells.shape[1])
    sure, within = surely_subject(cells, clean, frame.kind, ScreenKnowledge(clean, frame.noise, frame.primary))
    carried = carried_outward(cells, clean, np.maximum(sure, within))
    found = corrected(plate, cells, clean, carried, np.stack([within, sure]), frame.noise)
    grids = upsampled(clean, width, height), upsampled(found, width, height)
    cover = raw_matte(plate, frame.kind, *grids)
    where, around = pixels.asked(plate, cover)
    places = np.argwhere(where).astype(np.int32)
    if len(places) < _LEAST:
        return None
    told = pixels.told(plate, cover, *grids, places, around, frame.noise)
    side = pixels.BLOCK
    blocks = alpha.reshape(height // side, side, width // side, side).transpose(0, 2, 1, 3).reshape(*where.shape, -1)
    return Example(places, told.astype(np.float16), blocks[places[:, 0], places[:, 1]].astype(np.float16))
