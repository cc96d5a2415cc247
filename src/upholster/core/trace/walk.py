"""Which pixels belong together: a random walk over the picture, from what is known to what is not."""

import numpy as np
from numpy.typing import NDArray

from upholster.core.kernels import compiled, inlined

Plane = NDArray[np.float32]

#: The way to each neighbour of a pixel: rows and columns.
EIGHT = np.array([(0, 1), (1, 0), (0, -1), (-1, 0), (1, 1), (1, -1), (-1, -1), (-1, 1)], np.int32)
FOUR = EIGHT[:4]
#: Over-relaxation, and how often the unknown pixels are gone through, forth and back.
_RELAXED, _SWEEPS = np.float32(1.75), 24


def walk(
    known: Plane,
    unknown: NDArray[np.bool_],
    picture: NDArray[np.float32],
    towards: tuple[Plane, Plane],
    *,
    beta: float,
    little: float = 1e-3,
    neighbours: NDArray[np.int32] = EIGHT,
    sweeps: int = _SWEEPS,
) -> Plane:
    """How likely a random walker that starts at each unknown pixel gets to the subject first, 0..1.

    Parameters
    ----------
    known : (h, w) float32
        Values 0..1 of the pixels that are known; of the others, where to begin.
    unknown : (h, w) bool
    picture : (h, w, channels) float32
        Its colours are what a walker is reluctant to step across.
    towards : of two (h, w) float32
        At each unknown pixel, how strongly it is drawn to the subject and to the ground by what else is known of it.
    beta : float
        Reluctance: a step across a squared distance of colours d has the weight ``exp(-beta d) + little``.

    Notes
    -----
    The minimum of ``sum w_ij (x_i - x_j)^2 + sum f_i (x_i - 1)^2 + sum b_i x_i^2`` (Grady 2006, "Random walks for image
    segmentation"; with priors, Grady 2005, "Multilabel random walker image segmentation using prior models"), by
    successive over-relaxation, which from a good beginning needs few sweeps.
    """
    x = np.ascontiguousarray(known, np.float32).copy()
    rows, columns = (part.astype(np.int32) for part in np.nonzero(unknown))
    weights = np.empty((len(rows), len(neighbours)), np.float32)
    shift = np.empty((len(rows), len(neighbours)), np.int32)
    _weigh(picture, rows, columns, neighbours, np.float32(beta), np.float32(little), weights, shift)
    at = rows.astype(np.int32) * x.shape[1] + columns
    subject, ground = (np.ascontiguousarray(part[rows, columns]) for part in towards)
    _relax(x.reshape(-1), at, weights, shift, subject, ground, sweeps)
    return x


@compiled
def _weigh(picture, rows, columns, neighbours, beta, little, weights, shift):
    height, width, channels = picture.shape
    for n in range(len(rows)):
        row, column = rows[n], columns[n]
        for k in range(len(neighbours)):
            y, x = row + neighbours[k, 0], column + neighbours[k, 1]
            if y < 0 or x < 0 or y >= height or x >= width:
                weights[n, k], shift[n, k] = 0.0, 0
                continue
            far = np.float32(0.0)
            for c in range(channels):
                off = picture[row, column, c] - picture[y, x, c]
                far += off * off
            # A step aslant is longer.
            long = np.float32(1.0) if k < 4 else np.float32(0.7071068)
            weights[n, k] = (np.exp(-beta * far) + little) * long
            shift[n, k] = neighbours[k, 0] * width + neighbours[k, 1]


@compiled
def _relax(x, at, weights, shift, subject, ground, sweeps):
    count = len(at)
    for sweep in range(sweeps):
        for step in range(count):
            n = step if sweep % 2 == 0 else count - 1 - step
            _one(x, at[n], weights[n], shift[n], subject[n], ground[n])


@inlined
def _one(x, here, weights, shift, subject, ground):
    total = subject + ground
    pulled = subject
    for k in range(len(weights)):
        total += weights[k]
        pulled += weights[k] * x[here + shift[k]]
    if total > 0:
        x[here] += _RELAXED * (pulled / total - x[here])
