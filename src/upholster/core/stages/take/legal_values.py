"""Values no picture has, taken out before anything is computed from them."""

import numpy as np

from upholster.core.pipeline.stage import Changes, Context, Picture, Stage
from upholster.core.stages.matte.subject_colours import subject_cells

#: The largest number of a half-precision float, and so of an OpenEXR picture of that kind.
LARGEST = 65504.0


def _run(picture: Picture, context: Context) -> Changes:
    # What is no number, or beyond reason, carries its cell's mean away: looking at the cells is enough.
    cells = subject_cells(picture.rgb)
    if cells.min() >= -LARGEST and cells.max() <= LARGEST:
        return {"cells": cells}
    rgb = np.nan_to_num(picture.rgb, nan=0.0, posinf=LARGEST, neginf=-LARGEST).clip(-LARGEST, LARGEST)
    return {"rgb": rgb, "cells": subject_cells(rgb)}


STAGE = Stage("legal_values", ("rgb",), _run)
