"""A small network's word on the subject's colour in each cell, where that is not plain to see.

It was trained on drawn plates (`bench/learn`) to correct what is carried outward from the solid parts of a subject; it
is not asked where a cell surely holds the subject alone, and where it says nothing that is what stays.
"""

from functools import cache
from importlib.resources import files
from threading import local

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.core.matting.described import DEPARTURES, LEAST_STRENGTH, basis, departed, described
from upholster.core.matting.described import TOLD as _DESCRIBED
from upholster.core.screen.metric import LUMA_WEIGHT

Plane = NDArray[np.float32]

#: Planes the network is told of a cell, and planes it gives.
TOLD, GIVEN = _DESCRIBED + DEPARTURES + 3, DEPARTURES + 1
#: Which of the planes told change sign when hues are mirrored about the screen's.
ASIDE = (1, _DESCRIBED + 1)
#: How solid a cell is without the network's word, before the logistic function.
SOLID = -4.0
#: What that comes to, and a little more: so much is said of a bare screen, too.
_LEAST_SOLID = np.float32(0.03)
#: Coverage of a cell, without the network's word, from which it is not lowered so much, and from which not at all.
_HOLDS = 0.75, 0.92
#: Cells are looked at in blocks of this many on a side, and sides are made multiples of so many blocks.
_BLOCK, _EVEN = 2, 8
#: What departs further than this, or is no number, tells nothing more.
FURTHEST = np.float32(6)


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
    away, solid = heard(about, answer(about))
    return np.concatenate([departed(screen, away), solid[None]]).astype(np.float32)


def told(plate: Plane, cells: Plane, screen: Plane, subject: Plane, sure: Plane, noise: float) -> Plane:
    """What the network is told of every cell, ``(TOLD, rows, columns)``: see `described`, then the subject's
    departures from the screen, the grain in the screen's strength, and `sure`.
    """
    about = described(plate, cells, screen)
    apart = subject - screen
    away = np.stack([(to * apart).sum(axis=0) for to in basis(screen)])
    grain = np.float32(noise) / np.maximum(about[8], np.float32(LEAST_STRENGTH))
    every = np.concatenate([about, away, grain[None], sure]).astype(np.float32)
    return np.nan_to_num(every, nan=0.0).clip(-FURTHEST, FURTHEST)


def heard(about: Plane, given: Plane) -> tuple[Plane, Plane]:
    """The subject's departures from the screen and how solid a cell is, after the network's word on them."""
    doubt = 1 - np.maximum(about[-2], about[-1])
    before = about[_DESCRIBED : _DESCRIBED + DEPARTURES]
    away = before + given[:DEPARTURES] * doubt
    # It may lift what is taken for half covered, and lower that; cells that are solid without it stay so.
    covered, lowered = (_coverage(about[:DEPARTURES], each) for each in (before, away))
    kept = np.clip((covered - _HOLDS[0]) / (_HOLDS[1] - _HOLDS[0]), 0, 1) * (lowered < covered)
    away += kept * (before - away)
    solid = 1 / (1 + np.exp(-(given[DEPARTURES] + np.float32(SOLID))))
    return away, doubt * np.maximum((solid - _LEAST_SOLID) / (1 - _LEAST_SOLID), 0)


def _coverage(seen: Plane, away: Plane) -> Plane:
    """How far along the way from the screen to the subject a cell lies, in the key's metric."""
    luma = np.array([1, 1, LUMA_WEIGHT**2], np.float32)[:, None, None]
    return (luma * seen * away).sum(axis=0) / np.maximum((luma * away * away).sum(axis=0), np.float32(1e-3))


def answer(about: Plane) -> Plane:
    """What the network gives for ``(TOLD, rows, columns)``: ``(GIVEN, rows, columns)``."""
    rows, columns = about.shape[1:]
    unit = _BLOCK * _EVEN
    padded = np.pad(about, ((0, 0), (0, -rows % unit), (0, -columns % unit)), mode="edge")
    high, wide = padded.shape[1] // _BLOCK, padded.shape[2] // _BLOCK
    blocks = padded.reshape(TOLD, high, _BLOCK, wide, _BLOCK).transpose(0, 2, 4, 1, 3).reshape(1, -1, high, wide)
    net = _network()
    net.setInput(np.ascontiguousarray(blocks))
    out = net.forward().reshape(GIVEN, _BLOCK, _BLOCK, high, wide).transpose(0, 3, 1, 4, 2)
    return np.ascontiguousarray(out.reshape(GIVEN, 2 * high, 2 * wide)[:, :rows, :columns])


_of_thread = local()


def _network() -> cv2.dnn.Net:
    """The network; one for each thread, since it keeps what it is working on."""
    if not hasattr(_of_thread, "network"):
        _of_thread.network = cv2.dnn.readNetFromONNX(np.frombuffer(_kept(), np.uint8))
    return _of_thread.network


@cache
def _kept() -> bytes:
    return files("upholster.core.matting").joinpath("learnt.onnx").read_bytes()
