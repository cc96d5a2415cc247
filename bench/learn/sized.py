"""Examples made of the key's, some of them at another size, and kept beside them."""

from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from functools import partial
from multiprocessing import get_context
from pathlib import Path
from typing import Any, TypeVar
from zlib import crc32

import cv2
import numpy as np
from bench.learn.key import examples as filmed
from bench.quality.keyed import Plane

Example = TypeVar("Example", bound=tuple[Any, ...])
#: What is told of a frame: a named tuple of arrays, or None where it teaches nothing.
Told = Callable[[filmed.Example, np.random.Generator], Any]

#: How many frames are learnt from as they are, how many are enlarged by up to a half, and by how much others shrink.
_AS_IS, _LARGER, _SMALLEST = 0.6, 0.2, 0.65


def kept_beside(folder: Path, name: str, told: Told) -> None:
    """Keep what is told of the key's examples in a folder of that name beside them, where it is not yet."""
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


def loaded(folder: Path, kind: type[Example]) -> list[Example]:
    """All examples in a folder."""
    names, found = kind._fields, []  # type: ignore[attr-defined]
    for path in sorted(folder.glob("*.npz")):
        with np.load(path) as kept:
            found += [kind(*(kept[f"{name}{n}"] for name in names)) for n in range(len(kept.files) // len(names))]
    return found


def at_some_size(*pictures: Plane, draw: np.random.Generator) -> list[Plane]:
    """Planar pictures of one size as they are, or larger or smaller, in whole blocks."""
    kind = draw.random()
    size = 1.0 if kind < _AS_IS else draw.uniform(1, 1.5) if kind < _AS_IS + _LARGER else draw.uniform(_SMALLEST, 1)
    width, height = (int(side * size) // 4 * 4 for side in pictures[0].shape[:0:-1])
    how = cv2.INTER_CUBIC if size > 1 else cv2.INTER_AREA
    return [np.stack([cv2.resize(c, (width, height), interpolation=how) for c in p]) for p in pictures]
