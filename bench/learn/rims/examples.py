"""What the network of colours along edges is told on frames of the key's examples, and the colours that are true."""

from collections.abc import Iterable
from pathlib import Path

import numpy as np
from bench.learn import places
from bench.learn.key import examples as filmed
from bench.learn.places import Example, at_some_size, in_blocks
from numpy.typing import NDArray

from upholster.core.documents.recipe import Matte, Recipe
from upholster.core.documents.screen import Screen
from upholster.core.grids import resize
from upholster.core.matting import rims
from upholster.core.matting.described import basis
from upholster.core.pipeline.runner import key, plate_of
from upholster.core.pipeline.stage import Changes, Picture
from upholster.core.places import BLOCK
from upholster.core.screen.clean_plate import ScreenKnowledge
from upholster.core.stages.edge import edge_colour

#: Of fewer places than this a frame teaches nothing.
_LEAST = 200
#: Cells along the longer side of a clean plate.
_CELLS = 320


def make(folder: Path, seeds: Iterable[int]) -> None:
    """Film the plates that are not there yet, and keep what is told of them beside them."""
    places.make(folder, "rims", _told, seeds)


def load(folder: Path) -> list[Example]:
    """All examples that were made."""
    return places.load(folder / "rims")


def _told(frame: filmed.Example, draw: np.random.Generator) -> Example | None:
    """True are of each pixel: the subject's departure from the screen, towards grey, aside and in light; coverage."""
    planes = [p.astype(np.float32) for p in (frame.plate, frame.screen, frame.alpha[None], frame.rgb)]
    plate, screen, alpha, rgb = at_some_size(*planes, draw=draw)
    before = _before_colours(frame, plate, screen)
    grids, cover = (before.screen, before.subject), before.cover
    kept = np.ascontiguousarray(plate)
    found = edge_colour.edge_colour(
        kept, cover, frame.kind, *grids, frame.primary, unmix=1, spill=1, balance=0.5, keep_luma=True
    )
    where, _ = rims.asked(cover, 1)
    at = np.argwhere(where).astype(np.int32)
    if len(at) < _LEAST:
        return None
    told = rims.told(found, kept, cover, *grids, at, 1, frame.noise)
    corners = np.ascontiguousarray(screen[:, ::BLOCK, ::BLOCK])
    to = basis(corners)
    seen = [in_blocks(channel) - corner[..., None] for channel, corner in zip(rgb, corners, strict=True)]
    away = [sum(to[k, c][..., None] * seen[c] for c in range(3)) for k in range(3)]
    true = np.concatenate([*away, in_blocks(alpha[0])], axis=2)
    return Example(at, told.astype(np.float16), true[at[:, 0], at[:, 1]].astype(np.float16))


def _before_colours(frame: filmed.Example, plate: NDArray[np.float32], screen: NDArray[np.float32]) -> Picture:
    """What a first recipe gives to the stage of colours."""
    height, width = plate.shape[1:]
    size = _CELLS / max(width, height)
    clean = resize(screen, round(width * size), round(height * size))
    recipe = Recipe(screen=Screen(kind=frame.kind), matte=Matte(black_point=0.02, white_point=0.98))
    given: list[Picture] = []

    def watched(digest: bytes, stage) -> Changes:  # type: ignore[no-untyped-def]
        if stage.func is not edge_colour.STAGE.run:
            return stage()
        given.append(stage.args[0])
        return {}

    key(plate_of(plate), recipe, 0, ScreenKnowledge(clean, frame.noise, frame.primary), memo=watched)
    return given[-1]
