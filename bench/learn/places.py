"""What is told of the places along edges on frames of the key's examples, with what is true there."""

from collections.abc import Callable, Iterable
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

from upholster.core.places import BLOCK

#: How many frames are learnt from as they are, how many are enlarged by up to a half, and by how much others shrink.
_AS_IS, _LARGER, _SMALLEST = 0.6, 0.2, 0.65


class Example(NamedTuple):
    """The places of a frame.

    Attributes
    ----------
    places : (n, 2) int32
        Row and column of each block.
    told : (n, m) float16
    true : (n, k) float16
        What is true of its pixels.
    """

    places: NDArray[np.int32]
    told: NDArray[np.float16]
    true: NDArray[np.float16]


#: What is told of a frame, at some size; None where it teaches nothing.
Told = Callable[[filmed.Example, np.random.Generator], Example | None]


def in_blocks(plane: Plane) -> Plane:
    """Pixels ``(h, w)`` by their blocks: ``(h / BLOCK, w / BLOCK, BLOCK**2)``."""
    rows, columns = (side // BLOCK for side in plane.shape)
    return plane.reshape(rows, BLOCK, columns, BLOCK).transpose(0, 2, 1, 3).reshape(rows, columns, -1)


def make(folder: Path, name: str, told: Told, seeds: Iterable[int]) -> None:
    """Film the plates that are not there yet, and keep what is told of them in a folder of that name beside them."""
    filmed.make(folder, seeds)
    kept = folder / name
    kept.mkdir(exist_ok=True)
    missing = [path for path in sorted(folder.glob("*.npz")) if not (kept / path.name).exists()]
    # Processes of their own: one that is split off from others' threads may wait for them for ever.
    with ProcessPoolExecutor(mp_context=get_context("spawn")) as pool:
        list(pool.map(partial(_keep, kept, told), missing))


def _keep(folder: Path, told: Told, path: Path) -> None:
    cv2.setNumThreads(1)
    draw = np.random.default_rng(crc32(path.stem.encode()))
    taken = [example for frame in filmed.load(path) if (example := told(frame, draw)) is not None]
    planes = {f"{name}{n}": plane for n, one in enumerate(taken) for name, plane in one._asdict().items()}
    part = folder / f"{path.stem}.part"
    with part.open("wb") as file:
        np.savez(file, **planes)
    part.replace(folder / path.name)


def load(folder: Path) -> list[Example]:
    """All examples in a folder."""
    found = []
    for path in sorted(folder.glob("*.npz")):
        with np.load(path) as kept:
            for n in range(len(kept.files) // len(Example._fields)):
                found.append(Example(*(kept[f"{field}{n}"] for field in Example._fields)))
    return found


def at_some_size(*pictures: Plane, draw: np.random.Generator) -> list[Plane]:
    """Planar pictures of one size as they are, or larger or smaller, in whole blocks."""
    kind = draw.random()
    size = 1.0 if kind < _AS_IS else draw.uniform(1, 1.5) if kind < _AS_IS + _LARGER else draw.uniform(_SMALLEST, 1)
    width, height = (int(side * size) // 4 * 4 for side in pictures[0].shape[:0:-1])
    how = cv2.INTER_CUBIC if size > 1 else cv2.INTER_AREA
    return [np.stack([cv2.resize(c, (width, height), interpolation=how) for c in p]) for p in pictures]
