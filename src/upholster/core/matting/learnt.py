"""A small network's word on the subject's colour in each cell, where that is not plain to see.

It was trained on drawn plates (`bench/learn`) to correct what is carried outward from the solid parts of a subject; it
is not asked where a cell surely holds the subject alone, and where it says nothing that is what stays.
"""

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.core.kernels import compiled, inlined, over_rows
from upholster.core.matting.described import DEPARTURES, FURTHEST, LEAST_STRENGTH, departed, described
from upholster.core.matting.described import TOLD as _DESCRIBED
from upholster.core.networks import BLOCK, EVEN, Network
from upholster.core.screen.metric import LUMA_WEIGHT

Plane = NDArray[np.float32]

#: Planes the network is told of a cell, and planes it gives.
TOLD, GIVEN = _DESCRIBED + 3, DEPARTURES + 1
#: The first of the planes told of the subject's departures.
_BEFORE = _DESCRIBED - DEPARTURES
#: Which of the planes told change sign when hues are mirrored about the screen's.
ASIDE = (1, _BEFORE + 1)
#: How solid a cell is without the network's word, before the logistic function.
SOLID = -4.0
#: What is said of the solidity of a cell that the network is not asked about.
_NOT_SOLID = np.float32(-20.0)
#: What that comes to, and a little more: so much is said of a bare screen, too.
LEAST_SOLID = np.float32(0.03)
#: Coverage of a cell, without the network's word, from which it is not lowered so much, and from which not at all.
HOLDS = 0.75, 0.92
#: How far a cell departs from a bare screen at most, and how many deviations of the grain more.
_BARE, _GRAINS = 0.06, 4.0
#: Cells around all that is not bare which the network is asked about as well.
_MARGIN = 48
NETWORK = Network("upholster.core.matting", "learnt.onnx", GIVEN)


def corrected(plate: Plane, cells: Plane, screen: Plane, subject: Plane, sure: Plane, noise: float) -> Plane:
    """The subject's colour in every cell, and how much of what it then lacks in coverage is covered all the same.

    Parameters
    ----------
    plate : (3, h, w) float32
        Encoded RGB.
    cells, screen, subject : (3, rows, columns) float32
        The plate averaged down, the clean plate, and the colours that were carried outward.
    sure : (2, rows, columns) float32
        Confidence 0..1 that a cell holds nothing of the screen by where it lies, and by its colour: there the network
        is not heard.
    noise : float
        Standard deviation of the grain on the screen.

    Returns
    -------
    (4, rows, columns) float32
        Encoded RGB, and 0..1.
    """
    about = told(plate, cells, screen, subject, sure, noise)
    given = np.zeros((GIVEN, *about.shape[1:]), np.float32)
    given[-1] = _NOT_SOLID
    if (part := asked(about)) is not None:
        given[:, *part] = NETWORK.answer(np.ascontiguousarray(about[:, *part]))
    found = heard(about, given)
    found[:3] = departed(screen, found[:3])
    return found


def told(plate: Plane, cells: Plane, screen: Plane, subject: Plane, sure: Plane, noise: float) -> Plane:
    """What the network is told of every cell, ``(TOLD, rows, columns)``: see `described`, then the subject's
    departures from the screen, the grain in the screen's strength, and `sure`.
    """
    every = np.empty((TOLD, *screen.shape[1:]), np.float32)
    described(plate, cells, screen, subject, out=every[:_DESCRIBED])
    every[_DESCRIBED] = np.float32(noise) / np.maximum(every[8], np.float32(LEAST_STRENGTH))
    every[-2:] = sure
    over_rows(_held_in, every.shape[1], every, FURTHEST)
    return every


@compiled
def _held_in(every, furthest, first, end):
    for k in range(every.shape[0]):
        for j in range(first, end):
            row = every[k, j]
            for i in range(row.shape[0]):
                # What is no number is not told.
                row[i] = min(max(row[i], -furthest), furthest) if row[i] == row[i] else np.float32(0)


def asked(about: Plane) -> tuple[slice, slice] | None:
    """The rows and columns of cells that hold all that is no bare screen, and some around; None where all is bare."""
    departs = np.abs(about[:3]).max(axis=0) > np.float32(_BARE) + np.float32(_GRAINS) * about[_DESCRIBED]
    left, top, wide, high = cv2.boundingRect(departs.astype(np.uint8))
    return (_held_out(top, high, about.shape[1]), _held_out(left, wide, about.shape[2])) if wide else None


def _held_out(first: int, count: int, end: int) -> slice:
    # Cells fall into the same blocks, at every size, wherever it begins.
    step = BLOCK * EVEN
    return slice(max(0, first - _MARGIN) // step * step, min(end, -(-(first + count + _MARGIN) // step) * step))


def heard(about: Plane, given: Plane) -> Plane:
    """The subject's departures from the screen and how solid a cell is, ``(4, rows, columns)``, after the network."""
    out = np.empty((DEPARTURES + 1, *about.shape[1:]), np.float32)
    over_rows(_heard, about.shape[1], about, given, out)
    return out


@compiled
def _heard(about, given, out, first, end):
    one, before, low = np.float32(1), _BEFORE, np.float32(HOLDS[0])
    for j in range(first, end):
        for i in range(about.shape[2]):
            doubt = one - max(about[-2, j, i], about[-1, j, i])
            seen = about[0, j, i], about[1, j, i], about[2, j, i]
            was = about[before, j, i], about[before + 1, j, i], about[before + 2, j, i]
            now = was[0] + given[0, j, i] * doubt, was[1] + given[1, j, i] * doubt, was[2] + given[2, j, i] * doubt
            # It may lift what is taken for half covered, and lower that; cells that are solid without it stay so.
            covered = _coverage(seen, was)
            kept = np.float32(0)
            if _coverage(seen, now) < covered:
                kept = min(max((covered - low) / np.float32(HOLDS[1] - HOLDS[0]), np.float32(0)), one)
            for k in range(3):
                out[k, j, i] = now[k] + kept * (was[k] - now[k])
            solid = one / (one + np.exp(-(given[3, j, i] + np.float32(SOLID))))
            out[3, j, i] = doubt * max((solid - LEAST_SOLID) / (one - LEAST_SOLID), np.float32(0))


@inlined
def _coverage(seen, away):
    """How far along the way from the screen to the subject a cell lies, in the key's metric."""
    luma = np.float32(LUMA_WEIGHT**2)
    along = seen[0] * away[0] + seen[1] * away[1] + luma * seen[2] * away[2]
    return along / max(away[0] * away[0] + away[1] * away[1] + luma * away[2] * away[2], np.float32(1e-3))
