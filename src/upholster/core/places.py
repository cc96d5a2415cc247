"""Small networks that are asked about single places of a picture, and about nothing between them.

Each layer adds up what is known of a place and of those of its eight neighbours that are asked about too, plane by
plane, mixes the planes of the place, and adds what comes of it to them: depthwise separable convolutions (Howard et al.
2017, "MobileNets", section 3.1) on a submanifold (Graham & van der Maaten 2017, "Submanifold sparse convolutional
networks"), as residuals (He et al. 2016, "Deep residual learning for image recognition").
"""

from functools import cached_property
from importlib.resources import files
from typing import IO, NamedTuple

import numpy as np
from numpy.typing import NDArray

from upholster.core.kernels import compiled, over_rows

Plane = NDArray[np.float32]

#: Pixels of a block on a side: networks of single pixels are asked about all of a block at once.
BLOCK = 2
#: Places worked on at a time: what is known of them stays in the processor's cache, and no library splits the work.
_RUN = 128


class Layers(NamedTuple):
    """The weights of a network.

    Attributes
    ----------
    enter : (told + 1, planes) float32
        From what is told of a place to its planes; the last row is added.
    depth : (layers, 9, planes) float32
        What each neighbour counts, row by row around the place.
    mix : (layers, planes + 1, planes) float32
        From what was added up to what is added to the planes of the place; the last row is added.
    leave : (planes + 1, given) float32
        To what is given; the last row is added.
    """

    enter: Plane
    depth: Plane
    mix: Plane
    leave: Plane


class SparseNetwork:
    """A network whose weights lie in a package, as a NumPy archive of `Layers` in half precision."""

    def __init__(self, package: str, name: str) -> None:
        self.package, self.name = package, name

    def answer(self, told: Plane, places: NDArray[np.int32]) -> Plane:
        """What it gives for each of ``(n, 2)`` rows and columns, of which ``(n, told)`` is told: ``(n, given)``."""
        return answered(self._layers, told, places)

    @cached_property
    def _layers(self) -> Layers:
        with files(self.package).joinpath(self.name).open("rb") as kept:
            return read(kept)


def read(archive: IO[bytes]) -> Layers:
    """The weights in an archive."""
    with np.load(archive) as kept:
        return Layers(*(np.ascontiguousarray(kept[name], np.float32) for name in Layers._fields))


def answered(layers: Layers, told: Plane, places: NDArray[np.int32]) -> Plane:
    """What a network of such weights gives: see `SparseNetwork.answer`."""
    count, planes = len(told), layers.enter.shape[1]
    beside = neighbours(places)
    # What lies where nobody asks is nothing.
    known, then = np.zeros((2, count + 1, planes), np.float32)
    over_rows(_mixed, count, told, layers.enter, True, known)
    for depth, mix in zip(layers.depth, layers.mix, strict=True):
        over_rows(_layer, count, known, beside, depth, mix, then)
        known, then = then, known
    given = np.empty((count, layers.leave.shape[1]), np.float32)
    over_rows(_mixed, count, known, layers.leave, False, given)
    return given


def row_starts(places: NDArray[np.int32], rows: int) -> NDArray[np.int64]:
    """Where each row begins among places that go row by row, and where the last ends: ``(rows + 1,)``."""
    return np.searchsorted(places[:, 0], np.arange(rows + 1)).astype(np.int64)


def neighbours(places: NDArray[np.int32]) -> NDArray[np.int32]:
    """Numbers of the places around each, ``(n, 9)``, row by row with itself in the middle; `n` where none is asked."""
    rows, columns = places.max(axis=0) + 1 if len(places) else (0, 0)
    numbers = np.full((rows + 2, columns + 2), len(places), np.int32)
    numbers[places[:, 0] + 1, places[:, 1] + 1] = np.arange(len(places), dtype=np.int32)
    found = np.empty((len(places), 9), np.int32)
    over_rows(_look_around, len(places), places, numbers, found)
    return found


@compiled
def _look_around(places, numbers, found, first, end):
    for n in range(first, end):
        j, i = places[n, 0], places[n, 1]
        for k in range(9):
            found[n, k] = numbers[j + k // 3, i + k % 3]


@compiled
def _mixed(known, weights, held, out, first, end):
    planes, zero = weights.shape[0] - 1, np.float32(0)
    for begin in range(first, end, _RUN):
        stop = min(begin + _RUN, end)
        np.dot(known[begin:stop], weights[:planes], out[begin:stop])
        for n in range(begin, stop):
            for c in range(weights.shape[1]):
                value = out[n, c] + weights[planes, c]
                out[n, c] = max(value, zero) if held else value


@compiled
def _layer(known, beside, depth, mix, out, first, end):
    planes = known.shape[1]
    gathered = np.empty((_RUN, planes), np.float32)
    for begin in range(first, end, _RUN):
        stop = min(begin + _RUN, end)
        for n in range(begin, stop):
            to, b = gathered[n - begin], beside[n]
            above = known[b[0]], known[b[1]], known[b[2]]
            level = known[b[3]], known[b[4]], known[b[5]]
            below = known[b[6]], known[b[7]], known[b[8]]
            # One sum, so that it is written once.
            for c in range(planes):
                to[c] = (
                    above[0][c] * depth[0, c] + above[1][c] * depth[1, c] + above[2][c] * depth[2, c]
                    + level[0][c] * depth[3, c] + level[1][c] * depth[4, c] + level[2][c] * depth[5, c]
                    + below[0][c] * depth[6, c] + below[1][c] * depth[7, c] + below[2][c] * depth[8, c]
                )  # fmt: skip
        np.dot(gathered[: stop - begin], mix[:planes], out[begin:stop])
        for n in range(begin, stop):
            for c in range(planes):
                out[n, c] = known[n, c] + max(out[n, c] + mix[planes, c], np.float32(0))
