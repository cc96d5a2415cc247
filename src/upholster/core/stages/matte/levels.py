"""Clear and solid: which coverage counts as nothing and which as everything."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from upholster.core.documents.settings import Settings
from upholster.core.documents.tracks import Track, track
from upholster.core.kernels import compiled, over_rows
from upholster.core.pipeline.stage import Changes, Context, Picture, Stage, covered

Plane = NDArray[np.float32]


class Levels(Settings):
    black_point: Track = track(0.0, 0.0, 0.95, step=0.005, doc="Coverage at and below this becomes clear.")
    white_point: Track = track(1.0, 0.05, 1.0, step=0.005, doc="Coverage at and above this becomes solid.")
    opacity: Track = track(0.0, 0.0, 1.0, step=0.01, doc="Dark and light grounds: how solid the thin parts are made.")


def _run(picture: Picture, context: Context, *, black_point: float, white_point: float, opacity: float) -> Changes:
    # What is solid has no veil to thicken.
    thicken = opacity if context.glow else 0.0
    return covered(levels(picture.cover, black_point=black_point, white_point=white_point, opacity=thicken))


def _applies(context: Context, *, black_point: float, white_point: float, opacity: float, **others: Any) -> bool:
    return context.keyed and (black_point > 0 or white_point < 1 or (context.glow and opacity > 0))


STAGE = Stage("levels", ("cover",), _run, "matte", Levels, _applies)


@compiled
def _levels(matte, clear, gain, thicken, out, first, end):
    one, zero = np.float32(1), np.float32(0)
    for j in range(first, end):
        for i in range(matte.shape[1]):
            a = min(max((matte[j, i] - clear) * gain, zero), one)
            out[j, i] = a if thicken <= one else one - (one - a) ** thicken


def levels(matte: Plane, *, black_point: float, white_point: float, opacity: float = 0.0) -> Plane:
    """Coverage with `black_point` brought to 0, `white_point` to 1, and thin parts thickened by `opacity`.

    Thickening is ``1 - (1 - a)^k`` with ``k = 2^(3 * opacity)``: k layers of the same veil, by the
    rule that coverage of independent layers multiplies (Porter and Duff 1984).
    """
    out = np.empty_like(matte)
    gain = 1.0 / max(white_point - black_point, 1e-3)
    f = np.float32
    over_rows(_levels, matte.shape[0], matte, f(black_point), f(gain), f(2.0 ** (3 * opacity)), out)
    return out
