"""Alpha the footage brings itself: the matte can only take away from it."""

import numpy as np

from upholster.core.pipeline.stage import Changes, Context, Picture, Stage


def _run(picture: Picture, context: Context) -> Changes:
    assert picture.source_alpha is not None
    alpha = (picture.alpha * picture.source_alpha).astype(np.float32, copy=False)
    return {"alpha": alpha} if context.keyed else {"alpha": alpha, "raw_matte": picture.source_alpha}


STAGE = Stage("source_alpha", ("alpha", "source_alpha"), _run, applies=lambda context: context.brings_alpha)
