"""The clean plate, laid over the picture at hand."""

from upholster.core.grids import upsampled, window_of
from upholster.core.pipeline.stage import Changes, Context, Picture, Stage


def _run(picture: Picture, context: Context) -> Changes:
    raster = picture.raster
    cells = context.measured.plate if raster.whole else window_of(context.measured.plate, raster.window)
    return {"screen_cells": cells, "screen": upsampled(cells, raster.width, raster.height)}


STAGE = Stage("clean_plate", (), _run)
