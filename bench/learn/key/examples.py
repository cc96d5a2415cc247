"""Frames to learn from: plates of the bench's families, filmed, decoded and surveyed as a shot is."""

from collections.abc import Iterable
from concurrent.futures import ProcessPoolExecutor
from functools import partial
from pathlib import Path
from typing import NamedTuple

import cv2
import numpy as np
from bench.quality import families, plain
from bench.quality.keyed import Plane, decoded, from_folder
from bench.quality.plates import Truth
from bench.rendered import scenes
from numpy.typing import NDArray

from upholster.core.first_recipe import first_look
from upholster.core.grids import enlarge
from upholster.core.screen.clean_plate import measure_screen
from upholster.core.screen.survey import survey
from upholster.demo.make import film as filmed

#: Frames of a plate that are learnt from.
FRAMES = (1, 4, 6)
#: How often a plain plate counts, and a rendered one, which is a single frame.
_PLAIN, _RENDERED = 5, 6
#: Families without a colour to key, and the one whose truth is cut by a garbage mask.
_WITHOUT = ("fog", "smoke", "small", "glow on black", "ink on white")


class Example(NamedTuple):
    """A frame with what is known of its screen, and the truth.

    Attributes
    ----------
    plate, screen : (3, h, w) float16
        Encoded RGB; the clean plate as it was measured.
    alpha : (h, w) float16
    rgb : (3, h, w) float16
        The subject's straight colour.
    noise : float
    kind : str
    primary : int
    """

    plate: NDArray[np.float16]
    screen: NDArray[np.float16]
    alpha: NDArray[np.float16]
    rgb: NDArray[np.float16]
    noise: float
    kind: str
    primary: int


def cases(seeds: Iterable[int]) -> list[tuple[str, int]]:
    plainly = [(name, 0) for name in plain.CASES if name not in _WITHOUT]
    return plainly + [(name, seed) for seed in seeds for name in families.FAMILIES if name not in _WITHOUT]


def make(folder: Path, seeds: Iterable[int]) -> None:
    """Film the plates that are not there yet, on all cores."""
    folder.mkdir(parents=True, exist_ok=True)
    missing = [(name, seed, folder) for name, seed in cases(seeds) if not (folder / f"{name}-{seed}.npz").exists()]
    with ProcessPoolExecutor() as pool:
        list(pool.map(_film, missing))


def take(folder: Path, plates: Path) -> None:
    """Take the cases of a folder that are not there yet: rendered ones."""
    folder.mkdir(parents=True, exist_ok=True)
    missing = [path for path in sorted(plates.iterdir()) if not (folder / f"{path.name}.npz").exists()]
    with ProcessPoolExecutor() as pool:
        list(pool.map(partial(_take, folder), (path for path in missing if path.suffix != ".part")))


def counts(path: Path) -> int:
    """How often the frames of a plate are learnt from: plain and rendered ones are few, and must not be forgotten."""
    name = path.stem.rpartition("-")[0]
    return _PLAIN if name in plain.CASES else _RENDERED if name in scenes.FAMILIES else 1


def load(path: Path) -> list[Example]:
    with np.load(path) as kept:
        about = float(kept["noise"]), str(kept["kind"]), int(kept["primary"])
        planes = [kept[name] for name in ("plate", "screen", "alpha", "rgb")]
    return [Example(*frame, *about) for frame in zip(*planes, strict=True)]


def _film(case: tuple[str, int, Path]) -> None:
    cv2.setNumThreads(1)
    name, seed, folder = case
    path = folder / f"{name}-{seed}.mp4"
    truths = _plain(name, path) if name in plain.CASES else _drawn(name, seed, path)
    plates = decoded(path)
    path.unlink()
    _keep(folder / f"{name}-{seed}.npz", plates, truths)


def _take(folder: Path, case: Path) -> None:
    cv2.setNumThreads(1)
    plate, truths = from_folder(case)
    _keep(folder / f"{case.name}.npz", decoded(plate), truths)


def _keep(path: Path, plates: list[Plane], truths: list[Truth]) -> None:
    taken = survey(dict(enumerate(plates)))
    screen = first_look(taken).recipe.screen
    known = measure_screen(taken, screen)
    if known is None or screen.kind not in ("screen", "colour"):
        return
    clean = enlarge(known.plate, *plates[0].shape[:0:-1])
    half = np.float16
    part = path.with_suffix(".part.npz")
    np.savez(
        part,
        plate=np.stack(plates).astype(half),
        screen=np.stack([clean] * len(plates)).astype(half),
        alpha=np.stack([t.alpha for t in truths]).astype(half),
        rgb=np.stack([t.rgb.transpose(2, 0, 1) for t in truths]).astype(half),
        noise=known.noise,
        kind=screen.kind,
        primary=known.primary,
    )
    part.replace(path)


def _drawn(name: str, seed: int, path: Path) -> list[Truth]:
    draw = np.random.default_rng([seed, sum(map(ord, name))])
    scene = families.FAMILIES[name](draw)
    truths = [families.exposed(scene, draw, n) for n in FRAMES]
    families.write(path, [t.plate for t in truths], scene.stock)
    return truths


def _plain(name: str, path: Path) -> list[Truth]:
    truths = [plain.CASES[name](n) for n in FRAMES]
    filmed(path, len(truths), [t.plate for t in truths].__getitem__)
    return truths
