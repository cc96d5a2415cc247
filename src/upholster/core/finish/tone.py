"""Tones: the curve that each primary goes through, as one table."""

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from upholster.core.kernels import compiled, over_rows

Plane = NDArray[np.float32]

#: The values a table spans, and its steps for each 1.0; values beyond go on along its last steps.
LOW, HIGH, STEPS = -0.5, 4.0, 8192


class Tone(NamedTuple):
    """What one primary goes through.

    Attributes
    ----------
    slope, offset, power : float
        Those of the ASC CDL.
    brightness, contrast, pivot, gamma : float
        Added; then spread about the pivot; then ``value ** (1 / gamma)``.
    points : of (float, float)
        Points of a curve, in rising order; it is straight where there are none.
    """

    slope: float = 1.0
    offset: float = 0.0
    power: float = 1.0
    brightness: float = 0.0
    contrast: float = 1.0
    pivot: float = 0.5
    gamma: float = 1.0
    points: Sequence[tuple[float, float]] = ()


def toned(values: NDArray[np.float64], tone: Tone) -> NDArray[np.float64]:
    """Values after a tone; any shape.

    Notes
    -----
    ASC Color Decision List v1.2: ``out = (in * slope + offset) ** power``, below zero without the power. The clamps
    to 1 of the standard are left to whoever delivers in whole numbers, so that highlights of floats last.
    The curve is the monotone cubic of Fritsch and Butland 1984; outside of its points it goes on at its end slopes.
    """
    out = _raised(values * tone.slope + tone.offset, tone.power)
    out = (out + tone.brightness - tone.pivot) * tone.contrast + tone.pivot
    out = _raised(out, 1 / tone.gamma)
    return _curved(out, tone.points) if tone.points else out


def _raised(values: NDArray[np.float64], power: float) -> NDArray[np.float64]:
    if power == 1:
        return values
    return np.where(values > 0, np.maximum(values, 0) ** power, values)


def _curved(values: NDArray[np.float64], points: Sequence[tuple[float, float]]) -> NDArray[np.float64]:
    x, y = (np.array(part, np.float64) for part in zip(*points, strict=True))
    if len(x) == 1:
        return values + (y[0] - x[0])
    # Imported late: it takes long, and every command would wait for it.
    from scipy.interpolate import PchipInterpolator

    through = PchipInterpolator(x, y)
    first, last = float(through(x[0], 1)), float(through(x[-1], 1))
    inside = through(np.clip(values, x[0], x[-1]))
    return inside + np.minimum(values - x[0], 0) * first + np.maximum(values - x[-1], 0) * last


def through_tones(rgb: Plane, tones: Sequence[Tone]) -> Plane:
    """A picture ``(3, h, w)`` with each primary after its own tone."""
    at = np.linspace(LOW, HIGH, round((HIGH - LOW) * STEPS) + 1)
    tables = np.stack([toned(at, tone) for tone in tones]).astype(np.float32)
    out = np.empty_like(rgb)
    over_rows(_look_up, rgb.shape[1], rgb, tables, np.float32(LOW), np.float32(STEPS), out)
    return out


@compiled
def _look_up(rgb, tables, low, steps, out, first, end):
    last = tables.shape[1] - 2
    for c in range(3):
        table = tables[c]
        for j in range(first, end):
            for i in range(rgb.shape[2]):
                at = (rgb[c, j, i] - low) * steps
                # What is no number is looked up nowhere.
                step = np.int32(min(max(at, np.float32(0)), np.float32(last))) if at == at else np.int32(0)
                below = table[step]
                out[c, j, i] = below + (table[step + 1] - below) * (at - np.float32(step))
