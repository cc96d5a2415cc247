"""What is told of the places along edges on frames of the key's examples, with the coverage that is true there."""

from collections.abc import Iterable
from concurrent.futures import ProcessPoolExecutor
from functools import partial
from multiprocessing import get_context
from pathlib import Path
from typing import NamedTuple
from zlib import crc32

import cv2
import numpy as np
from bench.learn.key import examples as filmed
from bench.quality.keyed import Plane
from numpy.typing import NDArray

from upholster.core.grids import area, upsampled
from upholster.core.matting import pixels
from upholster.core.matting.learnt import corrected
from upholster.core.screen.clean_plate import ScreenKnowledge
from upholster.core.stages.matte.raw_matte import raw_matte
from upholster.core.stages.matte.subject_colours import carried_outward, subject_cells, surely_subject

#: How many frames are learnt from as they are, how many are enlarged by up to a half, and by how much others shrink.
_AS_IS, _LARGER, _SMALLEST = 0.6, 0.2, 0.65
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
    kept = folder / "pixels"
    kept.mkdir(exist_ok=True)
    missing = [path for path in sorted(folder.glob("*.npz")) if not (kept / path.name).exists()]
    # Processes of their own: one that is split off from others' threads may wait for them for ever.
    with ProcessPoolExecutor(mp_context=get_context("spawn")) as pool:
        list(pool.map(partial(_keep, kept), missing))


def load(folder: Path) -> list[Example]:
    """All examples that were made."""
    found = []
    for path in sorted((folder / "pixels").glob("*.npz")):
        with np.load(path) as kept:
            for n in range(len(kept.files) // len(Example._fields)):
                found.append(Example(*(kept[f"{name}{n}"] for name in Example._fields)))
    return found


def _keep(folder: Path, path: Path) -> None:
    cv2.setNumThreads(1)
    draw = np.random.default_rng(crc32(path.stem.encode()))
    taken = [example for frame in filmed.load(path) if (example := _told(frame, draw)) is not None]
    planes = {f"{name}{n}": plane for n, one in enumerate(taken) for name, plane in one._asdict().items()}
    part = folder / f"{path.stem}.part"
    with part.open("wb") as file:
        np.savez(file, **planes)
    part.replace(folder / path.name)


def _told(frame: filmed.Example, draw: np.random.Generator) -> Example | None:
    plate, screen, alpha = _at_some_size(*(p.astype(np.float32) for p in frame[:3]), draw)
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


def _at_some_size(plate: Plane, screen: Plane, alpha: Plane, draw: np.random.Generator) -> tuple[Plane, Plane, Plane]:
    kind = draw.random()
    size = 1.0 if kind < _AS_IS else draw.uniform(1, 1.5) if kind < _AS_IS + _LARGER else draw.uniform(_SMALLEST, 1)
    # Whole blocks.
    width, height = (int(side * size) // 4 * 4 for side in alpha.shape[::-1])
    how = cv2.INTER_CUBIC if size > 1 else cv2.INTER_AREA
    plate, screen = (np.stack([cv2.resize(c, (width, height), interpolation=how) for c in p]) for p in (plate, screen))
    return plate, screen, cv2.resize(alpha, (width, height), interpolation=how).clip(0, 1)
