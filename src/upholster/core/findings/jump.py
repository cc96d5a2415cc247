"""Jumps: the light, what is known of the screen, or a step of the key changing from one frame to the next."""

from typing import NamedTuple

import numpy as np

from upholster.core.findings.seen import CLEAR, Seen, luma_of

#: Change of the ground's luma, as a ratio, and of the part of the picture that is covered, that is no jump.
_LIGHT, _COVER = 0.05, 0.02


class Tale(NamedTuple):
    """What a frame tells as a whole.

    Attributes
    ----------
    light : float
        Mean luma of the plate where the ground is bare; 0 where none of it is seen. The clean plate may follow it.
    covered : float
        How much of the picture is covered, as a share.
    """

    light: float
    covered: float


def tale(here: Seen) -> Tale:
    """What is compared from frame to frame."""
    bare = (here.half_codes[::2, ::2] <= CLEAR) & (here.away[::2, ::2] > 8 * here.unit)
    light = 0.0
    if here.clean is not None and bare.mean() > 0.02:
        light = float(luma_of(here.half_plate[:, ::2, ::2])[bare].mean())
    return Tale(round(light, 5), round(float(here.half_codes.mean()) / 255, 5))


def jump(before: Tale, here: Tale, usual: float) -> tuple[float, float] | None:
    """How much is seen of a frame's departure from the one before, 0..1, and how far it is; None where that is usual.

    Parameters
    ----------
    usual : float
        `step` of frames around, at its middle.
    """
    much = step(before, here)
    if much <= 5 * usual + 1:
        return None
    return float(np.clip(np.log2(much) / 4 + 0.25, 0, 1)), max(_light(before, here), abs(here.covered - before.covered))


def step(before: Tale, here: Tale) -> float:
    """How far two frames are apart, in what is no jump by itself."""
    return max(_light(before, here) / _LIGHT, abs(here.covered - before.covered) / _COVER)


def _light(before: Tale, here: Tale) -> float:
    """The change of light, as a share of it; 0 where it is not seen on both."""
    lights = before.light, here.light
    return max(lights) / min(lights) - 1 if min(lights) > 0 else 0.0
