"""Clips of the trace's bench, traced while somebody looks on: what the trace's networks learn from."""

from collections.abc import Callable, Iterable
from concurrent.futures import ProcessPoolExecutor
from contextlib import AbstractContextManager
from functools import partial
from multiprocessing import get_context
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from bench.trace.__main__ import Plate, brushed, load, on_wrong, traced, worst

#: Share of the frames that are kept while a base frame is brushed, and while mattes are carried.
_BRUSHED, _CARRIED = 0.5, 0.2

#: Collects named tuples of arrays from a share of the frames that a plate is traced on meanwhile.
Onlooker = Callable[[Plate, float, np.random.Generator], AbstractContextManager[list[Any]]]


def make(folder: Path, seeds: Iterable[int], families: tuple[str, ...], onlooker: Onlooker) -> None:
    """Trace a clip of each seed that is not there yet, of the families in turn, on all cores."""
    folder.mkdir(parents=True, exist_ok=True)
    jobs = [(families[seed % len(families)], seed) for seed in seeds if not (folder / f"{seed}.npz").exists()]
    # Processes of their own: one that is split off from others' threads may wait for them for ever.
    with ProcessPoolExecutor(mp_context=get_context("spawn")) as pool:
        list(pool.map(partial(_make, folder, onlooker), jobs))


def _make(folder: Path, onlooker: Onlooker, clip: tuple[str, int]) -> None:
    cv2.setNumThreads(1)
    family, seed = clip
    draw = np.random.default_rng(seed)
    plate = load(family, seed)
    with onlooker(plate, _BRUSHED, draw) as first:
        strokes, _ = brushed(plate, draw)
    with onlooker(plate, _CARRIED, draw) as carried:
        covers, _ = traced(plate, strokes)
        if seed % 2:
            traced(plate, [*strokes, *on_wrong(plate, covers, worst(plate, covers), draw)])
    planes = {f"{name}{n}": plane for n, one in enumerate(first + carried) for name, plane in one._asdict().items()}
    part = folder / f"{seed}.part"
    with part.open("wb") as file:
        np.savez(file, **planes)
    part.replace(folder / f"{seed}.npz")
