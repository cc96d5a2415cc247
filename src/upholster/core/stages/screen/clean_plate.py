"""The clean plate, in the light of the picture at hand and laid over it."""

from upholster.core.grids import upsampled, window_of
from upholster.core.pipeline.stage import Changes, Context, Picture, Stage
from upholster.core.screen.light import as_lit


def _run(picture: Picture, context: Context) -> Changes:
    raster = picture.raster
    known = context.measured
    cells = known.plate if raster.whole else window_of(known.plate, raster.window)
    if not known.steady:
        cells = as_lit(cells, picture.cells)
    return {"screen_cells": cells, "screen": upsampled(cells, raster.width, raster.height)}


STAGE = Stage("clean_plate", ("cells",), _run)
