"""The clean plate, in the light of the picture at hand and laid over it."""

import numpy as np
from numpy.typing import NDArray

from upholster.core.grids import enlarge, upsampled, window_of
from upholster.core.pipeline.stage import Changes, Context, Picture, Stage
from upholster.core.screen.light import light_on

Plane = NDArray[np.float32]


def _run(picture: Picture, context: Context) -> Changes:
    raster = picture.raster
    known = context.measured

    def seen(plate: Plane) -> Plane:
        return plate if raster.whole else window_of(plate, raster.window)

    cells = seen(known.plate)
    fine = cells if known.fine is None else seen(known.fine)
    if not known.steady and (light := light_on(cells, picture.cells)) is not None:
        cells, fine = cells * light, fine * enlarge(light[None], *fine.shape[:0:-1])
    return {"screen_cells": cells, "screen": upsampled(fine, raster.width, raster.height)}


STAGE = Stage("clean_plate", ("cells",), _run)
