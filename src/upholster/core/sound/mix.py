"""Layers of sound over each other: where each is heard, how loud, and all of them together.

Samples are float32 ``(2, n)`` at `RATE` a second, full scale 1.
"""

from collections.abc import Iterable
from fractions import Fraction
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from upholster.core.documents.fitting import Layer
from upholster.core.documents.tracks import value_at

Samples = NDArray[np.float32]

#: Samples a second of a mix.
RATE = 48_000
#: Decibels at and below which nothing is heard.
SILENT = -60.0


class Heard(NamedTuple):
    """The sound of a layer in its own time, and the layer."""

    samples: Samples
    layer: Layer


def mixed(each: Iterable[Heard], frames: int, rate: Fraction) -> Samples:
    """The sounds of layers in a fitting of `frames` at `rate` a second, added up."""
    total = at_sample(frames, rate)
    out = np.zeros((2, total), np.float32)
    for heard in each:
        start, sound = placed(heard, frames, rate)
        out[:, start : start + sound.shape[1]] += sound
    return out


def placed(heard: Heard, frames: int, rate: Fraction) -> tuple[int, Samples]:
    """What of a layer is heard in a fitting, at its loudness, and from which sample on.

    A layer that begins again sounds again; one that holds its last picture, or is gone, is silent.
    """
    layer = heard.layer
    first, end = max(layer.start, 0), frames
    if layer.length is not None:
        end = min(end, layer.start + layer.length)
    length = heard.samples.shape[1]
    if layer.after != "loop":
        end = min(end, layer.start + -(-length * rate.numerator // (RATE * rate.denominator)))
    if first >= end or not length:
        return 0, np.zeros((2, 0), np.float32)
    begin, stop = at_sample(first, rate), at_sample(end, rate)
    own = np.arange(begin, stop) - at_sample(layer.start, rate)
    loud = _loudness(layer, first, end, rate, begin, stop)
    if layer.after == "loop":
        return begin, heard.samples[:, own % length] * loud
    here = own[own < length]
    return begin, heard.samples[:, here] * loud[: len(here)]


def _loudness(layer: Layer, first: int, end: int, rate: Fraction, begin: int, stop: int) -> Samples:
    """What each sample is multiplied by: the gain of the layer, straight from frame to frame, and its fades."""
    numbers = np.arange(first, end + 1)
    gains = [value_at(layer.gain, int(n)) for n in numbers]
    factors = np.array([0.0 if gain <= SILENT else 10 ** (gain / 20) for gain in gains])
    last = layer.start + layer.length if layer.length is not None else end
    if layer.fade_in:
        factors *= np.clip((numbers - layer.start) / layer.fade_in, 0, 1)
    if layer.fade_out:
        factors *= np.clip((last - numbers) / layer.fade_out, 0, 1)
    at = np.arange(begin, stop) * float(rate) / RATE
    return np.interp(at, numbers, factors).astype(np.float32)


def at_sample(frame: int, rate: Fraction) -> int:
    """The sample at which a frame begins."""
    return round(frame * RATE / rate)
