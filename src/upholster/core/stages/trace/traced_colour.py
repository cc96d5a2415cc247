"""The subject's own colour at the edge of a trace, where no screen tells it: the ground taken out of soft pixels."""

import numpy as np
from numpy.typing import NDArray

from upholster.core.pipeline.stage import Changes, Context, Picture, Stage
from upholster.core.trace.foreground import foreground

Plane = NDArray[np.float32]


def _run(picture: Picture, context: Context) -> Changes:
    if picture.traced.shape != picture.alpha.shape:
        return {}
    return {"rgb": foreground(picture.rgb, picture.traced)}


STAGE = Stage("traced_colour", ("rgb", "alpha", "traced"), _run, applies=lambda context: not context.keyed)
