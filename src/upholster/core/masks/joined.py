"""Several masks that do the same, as one coverage."""

import threading
from collections.abc import Callable, Iterable
from typing import Protocol, TypeVar

import numpy as np
from cachetools import LRUCache, cached
from numpy.typing import NDArray

from upholster.core.documents.masks import Drawn, Joins
from upholster.core.kernels import compiled, over_rows
from upholster.core.masks.coverage import Patch, coverage
from upholster.core.raster import Raster

Plane = NDArray[np.float32]

#: Bytes of coverages kept: most masks stand still from frame to frame.
_KEPT = 64 << 20
#: Ways to join, as the kernel knows them.
_ADD, _TAKE_AWAY, _COMMON, _EITHER = range(4)
_WAYS = {"add": _ADD, "take_away": _TAKE_AWAY, "common": _COMMON, "either": _EITHER}


class Shape(Protocol):
    """What joins others: a mask or a trace on one frame."""

    @property
    def joins(self) -> Joins: ...

    @property
    def opacity(self) -> float: ...


S = TypeVar("S", bound=Shape)


def joined(shapes: Iterable[S], cover: Callable[[S], Patch], raster: Raster, *, around: float = 0.0) -> Plane | None:
    """Coverage 0..1 of masks or traces joined one after the other, ``(h, w)``; None where there are none.

    Parameters
    ----------
    cover
        Gives the coverage of each.
    around : float
        What holds before the first of them, and where it lets it through: 1 for what is kept before anything
        outside is discarded, else 0.

    Notes
    -----
    Coverages join as independent ones do (Porter and Duff 1984, "Compositing digital images": over, out, in, xor). A
    mask's opacity mixes what is after it with what was before it.
    """
    whole: Plane | None = None
    for mask in shapes:
        patch = cover(mask)
        if whole is None:
            whole = _first(mask, patch, raster, np.float32(around))
            continue
        if mask.joins == "common":
            _dim(whole, patch, np.float32(1 - mask.opacity))
        part = whole[patch.slices]
        over_rows(_join_rows, len(part), part, patch.plane, np.float32(mask.opacity), _WAYS[mask.joins])
    return whole


def _first(mask: Shape, patch: Patch, raster: Raster, around: np.float32) -> Plane:
    """The coverage of the first mask; of what it takes away from, where that is what it does."""
    beside = np.float32(mask.joins == "take_away")
    outside = around + np.float32(mask.opacity) * (beside - around)
    inside = around + np.float32(mask.opacity) * (1 - beside - around)
    whole = np.empty((raster.height, raster.width), np.float32)
    over_rows(_first_rows, raster.height, whole, patch.plane, patch.top, patch.left, outside, inside)
    return whole


@compiled
def _first_rows(whole, plane, top, left, outside, inside, first_row, end_row):
    rows, columns = plane.shape
    for row in range(first_row, end_row):
        whole[row] = outside
        if top <= row < top + rows:
            for column in range(columns):
                whole[row, left + column] += (inside - outside) * plane[row - top, column]


def _dim(whole: Plane, patch: Patch, share: np.float32) -> None:
    """Leave only a share of what lies beside a patch."""
    rows, columns = patch.slices
    for beside in (
        whole[: rows.start],
        whole[rows.stop :],
        whole[rows, : columns.start],
        whole[rows, columns.stop :],
    ):
        beside *= share


@compiled
def _join_rows(part, plane, opacity, way, first_row, end_row):
    one = np.float32(1.0)
    for row in range(first_row, end_row):
        for column in range(part.shape[1]):
            before, here = part[row, column], plane[row, column]
            if way == _ADD:
                part[row, column] = before + opacity * here * (one - before)
            elif way == _TAKE_AWAY:
                part[row, column] = before - opacity * here * before
            elif way == _COMMON:
                part[row, column] = before * (one - opacity * (one - here))
            else:
                part[row, column] = before + opacity * here * (one - np.float32(2.0) * before)


def _size(patch: Patch) -> int:
    return patch.plane.nbytes + 256


def _name(mask: Drawn, raster: Raster) -> tuple[bytes, float, float, Raster]:
    return mask.points.tobytes(), mask.feather, mask.spread, raster


@cached(LRUCache(_KEPT, getsizeof=_size), key=_name, lock=threading.Lock())
def of_mask(mask: Drawn, raster: Raster) -> Patch:
    """The coverage of a mask; kept for the next frame on which it stands still."""
    patch = coverage(mask.points, raster, feather=mask.feather, spread=mask.spread)
    patch.plane.flags.writeable = False
    return patch
