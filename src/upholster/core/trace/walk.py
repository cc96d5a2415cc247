"""Which pixels belong together: a random walk over the picture, from what is known to what is not."""

import numpy as np
from numpy.typing import NDArray

from upholster.core.kernels import compiled

Plane = NDArray[np.float32]

#: The way to each neighbour of a pixel: rows and columns; the last four are aslant.
_WAYS = np.array([(0, 1), (1, 0), (0, -1), (-1, 0), (1, 1), (1, -1), (-1, -1), (-1, 1)], np.int32)
#: What a step aslant counts, which is longer.
_ASLANT = 0.7071068
#: Over-relaxation, and how often the unknown pixels are gone through, forth and back.
_RELAXED, _SWEEPS = np.float32(1.6), 24


def walk(
    known: Plane,
    unknown: NDArray[np.bool_],
    picture: NDArray[np.float32],
    towards: tuple[Plane, Plane],
    *,
    beta: float,
    little: float = 1e-3,
    aslant: float = _ASLANT,
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
        Reluctance: a step across a squared distance of colours d has the weight ``exp(-beta d) + little``,
    aslant : float
        and `aslant` times that to a neighbour across a corner.

    Notes
    -----
    The minimum of ``sum w_ij (x_i - x_j)^2 + sum f_i (x_i - 1)^2 + sum b_i x_i^2`` (Grady 2006, "Random walks for image
    segmentation"; with priors, Grady 2005, "Multilabel random walker image segmentation using prior models"), by
    successive over-relaxation, which from a good beginning needs few sweeps.
    """
    x = np.ascontiguousarray(known, np.float32).copy()
    rows, columns = (part.astype(np.int32) for part in np.nonzero(unknown))
    weights = np.empty((len(rows), len(_WAYS)), np.float32)
    shift, drawn = np.empty(weights.shape, np.int32), np.empty(len(rows), np.float32)
    costs = np.float32(beta), np.float32(little), np.float32(aslant)
    subject, ground = towards
    _weigh(picture, rows, columns, _WAYS, costs, subject, ground, weights, shift, drawn)
    _relax(x.reshape(-1), rows * np.int32(x.shape[1]) + columns, weights, shift, drawn, sweeps)
    return x


@compiled
def _weigh(picture, rows, columns, ways, costs, subject, ground, weights, shift, drawn):
    height, width, channels = picture.shape
    beta, little, aslant = costs
    for n in range(len(rows)):
        row, column = rows[n], columns[n]
        total = subject[row, column] + ground[row, column]
        for k in range(8):
            y, x = row + ways[k, 0], column + ways[k, 1]
            if y < 0 or x < 0 or y >= height or x >= width:
                weights[n, k], shift[n, k] = 0.0, 0
                continue
            far = np.float32(0.0)
            for c in range(channels):
                off = picture[row, column, c] - picture[y, x, c]
                far += off * off
            weights[n, k] = (np.exp(-beta * far) + little) * (np.float32(1.0) if k < 4 else aslant)
            shift[n, k] = ways[k, 0] * width + ways[k, 1]
            total += weights[n, k]
        if total > 0:
            for k in range(8):
                weights[n, k] /= total
            drawn[n] = subject[row, column] / total
        else:
            # What nothing speaks of, and no neighbour, stays as it is.
            weights[n, 0], shift[n, 0], drawn[n] = 1.0, 0, 0.0


@compiled
def _relax(x, at, weights, shift, drawn, sweeps):
    count = len(at)
    for sweep in range(sweeps):
        for step in range(count):
            n = step if sweep % 2 == 0 else count - 1 - step
            here, found = at[n], drawn[n]
            # As many as there are ways, told in full: half the time of a loop whose length is not known.
            for k in range(8):
                found += weights[n, k] * x[here + shift[n, k]]
            x[here] += _RELAXED * (found - x[here])
