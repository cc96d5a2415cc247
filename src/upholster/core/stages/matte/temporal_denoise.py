"""Calming the grain with the frames around, where nothing moves."""

from collections.abc import Sequence
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.core.documents.settings import Settings
from upholster.core.documents.tracks import Track, track
from upholster.core.kernels import compiled, over_rows
from upholster.core.pipeline.stage import Changes, Context, Picture, Stage
from upholster.core.stages.matte.subject_colours import subject_cells

Plane = NDArray[np.float32]

#: Side, in pixels of the plate, of the window over which change is looked at.
_WINDOW = 5.0
#: Change against the grain's own, up to which a pixel is taken to be still, and from which it moves.
_STILL, _MOVES = 1.6, 2.6
#: Mean absolute difference of two values with independent normal grain of deviation one: 2 / sqrt(pi).
_GRAIN = 2 / np.sqrt(np.pi)


class TemporalDenoise(Settings):
    temporal_denoise: Track = track(0.0, 0.0, 1.0, step=0.05, doc="Calm the grain with the frames before and after.")


def _run(picture: Picture, context: Context, *, temporal_denoise: float) -> Changes:
    near = [other.rgb for other in context.neighbours(1)]
    step, noise = picture.raster.length(1.0), context.measured.noise
    calm = denoise(picture.rgb, near, noise=noise, amount=temporal_denoise, step=step)
    return {"rgb": calm, "cells": subject_cells(calm)}


def _applies(context: Context, *, temporal_denoise: float, **others: Any) -> bool:
    return context.keyed and temporal_denoise > 0


STAGE = Stage("temporal_denoise", ("rgb",), _run, "matte", TemporalDenoise, _applies, around=1)


def denoise(plate: Plane, around: Sequence[Plane], *, noise: float, amount: float, step: float = 1.0) -> Plane:
    """Plate averaged with its neighbours in time wherever they differ by grain alone.

    Parameters
    ----------
    plate : (3, h, w) float32
    around : of (3, h, w) float32
        The frames before and after, as far as there are any.
    noise : float
        Standard deviation of the grain, per pixel of the plate.
    amount : float
        0..1, how much the neighbours count.
    step : float
        Length of a pixel of the plate in this picture.

    Notes
    -----
    What moves is not touched, so nothing lags: a weight falls to zero as soon as the change over a
    window is more than grain makes.
    """
    if not around:
        return plate
    total = plate.copy()
    weights = np.ones(plate.shape[1:], np.float32)
    # Averaging down to a smaller picture calms the grain by as much.
    usual = np.float32(max(noise * min(step, 1.0), 0.2 / 255) * _GRAIN)
    side = 2 * max(1, round((_WINDOW * step - 1) / 2)) + 1
    for other in around:
        change = cv2.boxFilter(
            np.abs(plate - other).max(axis=0), cv2.CV_32F, (side, side), borderType=cv2.BORDER_REPLICATE
        )
        over_rows(_add, plate.shape[1], other, change, usual, np.float32(amount), total, weights)
    total /= weights
    return total


@compiled
def _add(other, change, usual, amount, total, weights, first, end):
    one, zero = np.float32(1), np.float32(0)
    moves, span = np.float32(_MOVES), np.float32(_MOVES - _STILL)
    for j in range(first, end):
        for i in range(change.shape[1]):
            weight = min(max((moves - change[j, i] / usual) / span, zero), one) * amount
            weights[j, i] += weight
            for c in range(3):
                total[c, j, i] += other[c, j, i] * weight
