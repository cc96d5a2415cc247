"""What lies outside or inside of drawn shapes discarded, or kept whole."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from upholster.core.documents.masks import Drawn, Masks
from upholster.core.kernels import compiled, over_rows
from upholster.core.masks.joined import joined
from upholster.core.pipeline.stage import Changes, Context, Picture, Stage, covered

Plane = NDArray[np.float32]


def _run(picture: Picture, context: Context, *, drawn: tuple[Drawn, ...]) -> Changes:
    cover, raw = (picture.cover, picture.raw_matte) if context.keyed else (picture.alpha, picture.alpha)
    # Garbage masks: nothing outside of the one kind is let through, and nothing inside of the other.
    inside = joined((m for m in drawn if m.does == "discard_outside"), picture.raster, around=1.0)
    gone = joined((m for m in drawn if m.does == "discard_inside"), picture.raster)
    held = joined((m for m in drawn if m.does == "keep_inside"), picture.raster)
    whole, none = np.broadcast_to(np.float32(1), cover.shape), np.broadcast_to(np.float32(0), cover.shape)
    left, measured = np.empty_like(cover, shape=cover.shape), np.empty_like(raw, shape=raw.shape)
    planes = (whole if inside is None else inside, none if gone is None else gone, none if held is None else held)
    over_rows(_mask_rows, cover.shape[0], cover, raw, *planes, left, measured)
    return covered(left) | {"raw_matte": measured} | ({} if held is None else {"held": held})


@compiled
def _mask_rows(cover, raw, inside, gone, held, left, measured, first_row, end_row):
    for row in range(first_row, end_row):
        for column in range(cover.shape[1]):
            let_through = inside[row, column] * (np.float32(1.0) - gone[row, column])
            value = cover[row, column] * let_through
            left[row, column] = value + held[row, column] * (np.float32(1.0) - value)
            measured[row, column] = raw[row, column] * let_through


def _applies(context: Context, *, drawn: tuple[Drawn, ...], **others: Any) -> bool:
    return any(mask.does != "limit" for mask in drawn)


STAGE = Stage("masks", ("alpha", "cover", "raw_matte"), _run, "masks", Masks, _applies)
