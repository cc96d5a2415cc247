"""Giving an element the colour of a scene."""

from typing import Any

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from upholster.core.colour import luma_weights
from upholster.core.documents.settings import Settings
from upholster.core.documents.tracks import Track, track
from upholster.core.pipeline.stage import Changes, Context, Picture, Stage

Plane = NDArray[np.float32]
Three = tuple[float, float, float]

_LUMA = np.array(luma_weights("bt709"), np.float32)


class Tint(Settings):
    tint: Track = track(0.0, 0.0, 1.0, step=0.01, doc="How strongly it is tinted.")
    tint_colour: Three = Field(default=(0.95, 0.72, 0.35), description="The colour, encoded RGB 0..1.")
    tint_keep_luma: bool = Field(default=True, description="Keep the brightness of what is tinted.")


def _run(picture: Picture, context: Context, *, tint: float, tint_colour: Three, tint_keep_luma: bool) -> Changes:
    return {"rgb": tinted(picture.rgb, tint_colour, tint, keep_luma=tint_keep_luma)}


def _applies(context: Context, *, tint: float, **others: Any) -> bool:
    return tint > 0


STAGE = Stage("tint", ("rgb",), _run, "finish", Tint, _applies)


def tinted(rgb: Plane, colour: Three, strength: float, *, keep_luma: bool) -> Plane:
    """``(3, h, w)`` towards its luma times a colour; with `keep_luma`, as bright as before.

    The colour is a filter before a grey picture of the subject: white becomes the colour itself, or, with
    `keep_luma`, stays as bright as white and keeps what of the colour is possible there.
    """
    tone = np.array(colour, np.float32)
    if keep_luma:
        tone = tone / max(float(_LUMA @ tone), 0.05)
    luma = np.tensordot(_LUMA, rgb, axes=1)
    return (rgb + np.float32(strength) * (luma * tone[:, None, None] - rgb)).astype(np.float32)
