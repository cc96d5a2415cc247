"""What lies outside or inside of drawn shapes discarded, or kept whole."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from upholster.core.documents.masks import Drawn, Masks
from upholster.core.kernels import compiled, over_rows
from upholster.core.masks.joined import joined
from upholster.core.pipeline.stage import Changes, Context, Picture, Stage, covered

Plane = NDArray[np.float32]

#: Stands where there are no masks of a kind.
_NONE = np.zeros((0, 0), np.float32)


def _run(picture: Picture, context: Context, *, drawn: tuple[Drawn, ...]) -> Changes:
    cover, raw = (picture.cover, picture.raw_matte) if context.keyed else (picture.alpha, picture.alpha)
    # Garbage masks: nothing outside of the one kind is let through, and nothing inside of the other.
    inside = joined((m for m in drawn if m.does == "discard_outside"), picture.raster, around=1.0)
    gone = joined((m for m in drawn if m.does == "discard_inside"), picture.raster)
    held = joined((m for m in drawn if m.does == "keep_inside"), picture.raster)
    left, measured = np.empty(cover.shape, np.float32), np.empty(raw.shape, np.float32)
    planes = (_NONE if plane is None else plane for plane in (inside, gone, held))
    over_rows(_mask_rows, cover.shape[0], cover, raw, *planes, left, measured)
    return covered(left) | {"raw_matte": measured} | ({} if held is None else {"held": held})


@compiled
def _mask_rows(cover, raw, inside, gone, held, left, measured, first_row, end_row):
    one = np.float32(1.0)
    width = cover.shape[1]
    let_through, kept = np.ones(width, np.float32), np.zeros(width, np.float32)
    for row in range(first_row, end_row):
        if inside.size:
            let_through[:] = inside[row]
        if gone.size:
            for column in range(width):
                through = inside[row, column] if inside.size else one
                let_through[column] = through * (one - gone[row, column])
        if held.size:
            kept[:] = held[row]
        for column in range(width):
            value = cover[row, column] * let_through[column]
            left[row, column] = value + kept[column] * (one - value)
            measured[row, column] = raw[row, column] * let_through[column]


def _applies(context: Context, *, drawn: tuple[Drawn, ...], **others: Any) -> bool:
    return any(mask.does != "limit" for mask in drawn)


STAGE = Stage("masks", ("alpha", "cover", "raw_matte"), _run, "masks", Masks, _applies)
