"""What the network of single pixels is told on frames of the key's examples, with the coverage that is true there."""

from collections.abc import Iterable
from pathlib import Path

import numpy as np
from bench.learn import places
from bench.learn.key import examples as filmed
from bench.learn.places import Example, at_some_size, in_blocks

from upholster.core.grids import area, upsampled
from upholster.core.matting import pixels
from upholster.core.matting.learnt import corrected
from upholster.core.screen.clean_plate import ScreenKnowledge
from upholster.core.stages.matte.raw_matte import raw_matte
from upholster.core.stages.matte.subject_colours import carried_outward, subject_cells, surely_subject

#: Of fewer places than this a frame teaches nothing.
_LEAST = 200


def make(folder: Path, seeds: Iterable[int]) -> None:
    """Film the plates that are not there yet, and keep what is told of them beside them."""
    places.make(folder, "pixels", _told, seeds)


def load(folder: Path) -> list[Example]:
    """All examples that were made."""
    return places.load(folder / "pixels")


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
    at = np.argwhere(where).astype(np.int32)
    if len(at) < _LEAST:
        return None
    told = pixels.told(plate, cover, *grids, at, around, frame.noise)
    return Example(at, told.astype(np.float16), in_blocks(alpha)[at[:, 0], at[:, 1]].astype(np.float16))
