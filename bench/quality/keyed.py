"""A plate keyed: by Upholster with no recipe, and by a general matting method that is told where the edge is."""

import time
from collections.abc import Callable
from pathlib import Path
from types import ModuleType
from typing import NamedTuple

import av
import numpy as np
from bench.quality import metrics
from bench.quality.plates import Truth
from numpy.typing import NDArray

from upholster.core.documents.recipe import Recipe
from upholster.core.first_recipe import first_look
from upholster.core.pipeline.runner import key, plate_of
from upholster.core.screen.clean_plate import measure_screen
from upholster.core.screen.survey import survey
from upholster.core.stages.edge import edge_colour
from upholster.core.stages.matte import edge_detail, subject_colours
from upholster.media.decoder.reader import Reader, probe
from upholster.media.sequences import find_pictures

Plane = NDArray[np.float32]


class Result(NamedTuple):
    alphas: list[Plane]
    colours: list[Plane]
    milliseconds: float
    words: str


def upholster(path: Path, told: Callable[[Recipe, list[Plane]], Recipe] = lambda recipe, plates: recipe) -> Result:
    """Our key, with no recipe but what `told` makes of the one proposed, having seen the plates."""
    plates = decoded(path)
    taken = survey(dict(enumerate(plates)))
    recipe = told(first_look(taken).recipe, plates)
    known = measure_screen(taken, recipe.screen)
    key(plate_of(plates[0]), recipe, 0, known)
    began = time.perf_counter()
    keyed = [key(plate_of(plate), recipe, n, known) for n, plate in enumerate(plates)]
    spent = (time.perf_counter() - began) / len(plates) * 1000
    words = f"{recipe.screen.kind}, clear {recipe.matte.black_point:g}, solid {recipe.matte.white_point:g}"
    return Result([k.alpha for k in keyed], [k.rgb for k in keyed], spent, words)


#: Where each network is asked, and what stands where it is not.
NETWORKS: dict[str, tuple[ModuleType, Callable[..., object]]] = {
    "cells": (subject_colours, lambda plate, cells, screen, subject, *more: np.stack([*subject, 0 * subject[0]])),
    "pixels": (edge_detail, lambda plate, cover, *more: cover),
    "rims": (edge_colour, lambda *all_of_it: None),
}


def leave_out(network: str) -> None:
    """Key without a network from now on, in this process."""
    stage, instead = NETWORKS[network]
    stage.corrected = instead  # type: ignore[attr-defined]


def decoded(path: Path) -> list[Plane]:
    """The plates as Upholster reads them."""
    files = find_pictures(str(path))
    with Reader(files, probe(files)) as reader:
        return [f.rgb for f in reader.frames(range(reader.facts.length))]


def from_folder(folder: Path) -> tuple[Path, list[Truth]]:
    """A case somebody else made: its plate, and the truth."""
    plate = next(p for p in sorted(folder.iterdir()) if p.stem == "plate")
    plates = decoded(plate)
    about = [
        decoded(folder / what) if (folder / what).is_dir() else [None] * len(plates)
        for what in ("matte", "colour", "hair", "glass")
    ]
    truths = [
        Truth(p.transpose(1, 2, 0), m[0], c.transpose(1, 2, 0), *(None if k is None else k[0] for k in kinds))
        for p, m, c, *kinds in zip(plates, *about, strict=True)
    ]
    return plate, truths


def plainly_decoded(path: Path) -> list[Plane]:
    """The plates as FFmpeg's scaler turns them into RGB, matrix and range stated."""
    with av.open(str(path)) as container:
        frames = [
            frame.to_ndarray(format="rgb24")
            if frame.format.is_rgb
            else frame.reformat(
                format="rgb24", src_colorspace="ITU709", src_color_range="MPEG", dst_color_range="JPEG",
                interpolation="BICUBIC",
            ).to_ndarray()
            for frame in container.decode(video=0)
        ]  # fmt: skip
    return [frame.transpose(2, 0, 1).astype(np.float32) / np.float32(255) for frame in frames]


def reference(plates: list[Plane], truths: list[Truth]) -> Result:
    """Closed-form matting (Levin et al. 2008) told the unknown band of 8 pixels by the truth, with
    multi-level foreground (Germer et al. 2020), as PyMatting has them."""
    from pymatting import estimate_alpha_cf, estimate_foreground_ml

    alphas, colours = [], []
    began = time.perf_counter()
    for plate, truth in zip(plates, truths, strict=True):
        picture = plate.transpose(1, 2, 0).clip(0, 1).astype(np.float64)
        trimap = np.where(truth.alpha > 0.5, 1.0, 0.0)
        trimap[metrics.edge_band(truth.alpha)] = 0.5
        if not (trimap == 1).any():
            # All of it is blurred: the method still needs a few pixels to start from.
            trimap[truth.alpha >= truth.alpha.max() - 0.005] = 1.0
        alpha = estimate_alpha_cf(picture, trimap)
        alphas.append(alpha.astype(np.float32))
        colours.append(estimate_foreground_ml(picture, alpha).astype(np.float32).transpose(2, 0, 1))
    return Result(alphas, colours, (time.perf_counter() - began) / len(alphas) * 1000, "perfect trimap")
