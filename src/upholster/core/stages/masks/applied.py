"""What masks and traces do to a matte: discard what lies outside or inside, or keep it whole."""

from collections.abc import Callable, Sequence
from typing import Protocol, TypeVar

import numpy as np
from numpy.typing import NDArray

from upholster.core.documents.masks import Does
from upholster.core.kernels import compiled, over_rows
from upholster.core.masks.coverage import Patch
from upholster.core.masks.joined import Shape, joined
from upholster.core.pipeline.stage import Changes, Context, Picture, covered

Plane = NDArray[np.float32]

#: Stands where there are none of a kind.
_NONE = np.zeros((0, 0), np.float32)


class Doing(Shape, Protocol):
    """A shape with what it does."""

    @property
    def does(self) -> Does: ...


S = TypeVar("S", bound=Doing)


def applied(picture: Picture, context: Context, shapes: Sequence[S], cover_of: Callable[[S], Patch]) -> Changes:
    """What changes in a picture where shapes discard and keep."""
    cover, raw = (picture.cover, picture.raw_matte) if context.keyed else (picture.alpha, picture.alpha)

    def all_that(does: Does, around: float = 0.0) -> Plane | None:
        return joined((s for s in shapes if s.does == does), cover_of, picture.raster, around=around)

    # Nothing outside of the one kind is let through, and nothing inside of the other.
    inside, gone, held = all_that("discard_outside", 1.0), all_that("discard_inside"), all_that("keep_inside")
    left, measured = np.empty(cover.shape, np.float32), np.empty(raw.shape, np.float32)
    planes = (_NONE if plane is None else plane for plane in (inside, gone, held))
    over_rows(_apply_rows, cover.shape[0], cover, raw, *planes, left, measured)
    return covered(left) | {"raw_matte": measured} | ({} if held is None else {"held": held})


@compiled
def _apply_rows(cover, raw, inside, gone, held, left, measured, first_row, end_row):
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
