"""Giving the subject the grain of the scene it goes into."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from upholster.core.documents.settings import Settings
from upholster.core.documents.tracks import Track, track
from upholster.core.finish.grain import COARSEST, FINEST, made
from upholster.core.pipeline.stage import Changes, Context, Picture, Stage

Plane = NDArray[np.float32]


class AddGrain(Settings):
    grain: Track = track(0.0, 0.0, 0.2, step=0.001, doc="Standard deviation of the grain that is added.")
    grain_size: Track = track(0.6, FINEST, COARSEST, step=0.05, unit="px", doc="Coarseness: the sigma of its blur.")

    def at(self, frame: int, fields: type[Settings] | None = None) -> dict[str, Any]:
        values = super().at(frame, fields)
        # Each frame has grain of its own.
        return values | {"seed": frame if values["grain"] > 0 else 0} if fields is AddGrain else values


def _run(picture: Picture, context: Context, *, grain: float, grain_size: float, seed: int) -> Changes:
    length = picture.raster.length(1.0)
    # A smaller picture is an average, in which fine grain goes.
    seen = grain * min(1.0, length * max(1.0, 2 * grain_size))
    noise = made(picture.rgb.shape[1], picture.rgb.shape[2], max(grain_size * length, FINEST), seed)
    return {"rgb": picture.rgb + np.float32(seen) * noise}


def _applies(context: Context, *, grain: float, **others: Any) -> bool:
    return grain > 0


STAGE = Stage("grain", ("rgb",), _run, "finish", AddGrain, _applies)
