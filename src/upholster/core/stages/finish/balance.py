"""White balance, and taking a colour cast out: both scale linear light."""

from typing import Any

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from upholster.core.colour import luma_weights
from upholster.core.documents.settings import Settings
from upholster.core.documents.tracks import Track, track
from upholster.core.finish.transfer import DECODED, ENCODED, decoded, encoded
from upholster.core.finish.white import COLDEST, NEUTRAL, WARMEST, Light, adaptation
from upholster.core.kernels import compiled, over_rows
from upholster.core.pipeline.stage import Changes, Context, Picture, Stage

Plane = NDArray[np.float32]


class Balance(Settings):
    temperature: Track = track(
        NEUTRAL, WARMEST, COLDEST, step=50, unit="K", doc="Temperature of the light that is taken for white."
    )
    green: Track = track(0.0, -100.0, 100.0, step=1, doc="That light is greener (+) or more magenta (-) than daylight.")
    neutral: Track = track(0.0, 0.0, 1.0, step=0.01, doc="How much of the cast is taken out.")
    cast: tuple[float, float, float] | None = Field(
        default=None, description="The subject's colour cast, linear RGB with a mean of one, as it was measured."
    )


def _run(picture: Picture, context: Context, **values: Any) -> Changes:
    return {"rgb": balanced(picture.rgb, matrix_of(**values))}


def _applies(context: Context, *, temperature: float, green: float, neutral: float, cast: Any) -> bool:
    return temperature != NEUTRAL or green != 0 or (neutral > 0 and cast is not None)


STAGE = Stage("balance", ("rgb",), _run, "finish", Balance, _applies)


def matrix_of(
    *, temperature: float, green: float, neutral: float, cast: tuple[float, float, float] | None
) -> NDArray[np.float64]:
    """What linear BT.709 colours are multiplied by, ``(3, 3)``: the cast taken out, then the light adapted.

    A grey keeps its luma where the cast is taken out (von Kries' scaling of the primaries, as Finlayson and Trezzi
    2004 do).
    """
    light = adaptation(Light(temperature, green))
    if cast is None or not neutral:
        return light
    gains = np.power(np.maximum(np.array(cast), 1e-3), -neutral)
    return light @ np.diag(gains / (gains * luma_weights("bt709")).sum())


def balanced(rgb: Plane, matrix: NDArray[np.float64]) -> Plane:
    """Encoded ``(3, h, w)`` RGB whose linear light (IEC 61966-2-1) went through a matrix; negative values mirrored."""
    out = np.empty_like(rgb)
    over_rows(_through, rgb.shape[1], rgb, matrix.astype(np.float32), DECODED, ENCODED, out)
    return out


@compiled
def _through(rgb, matrix, by_code, by_light, out, first, end):
    width = rgb.shape[2]
    light = np.empty((3, width), np.float32)
    for j in range(first, end):
        for c in range(3):
            for i in range(width):
                light[c, i] = decoded(rgb[c, j, i], by_code)
        for c in range(3):
            a, b, d = matrix[c, 0], matrix[c, 1], matrix[c, 2]
            for i in range(width):
                out[c, j, i] = encoded(a * light[0, i] + b * light[1, i] + d * light[2, i], by_light)
