"""Which way up a result is delivered: mirrored, turned by quarters, with square pixels."""

from typing import Any

import numpy as np
from pydantic import Field

from upholster.core.delivery.sizing import resized
from upholster.core.documents.settings import Settings
from upholster.core.pipeline.stage import Changes, Context, Picture, Stage
from upholster.core.raster import NARROWEST, WIDEST, Raster


class Turn(Settings):
    pixel_aspect: float = Field(
        default=1.0,
        ge=NARROWEST,
        le=WIDEST,
        description="Width of the source's pixels over their height; the picture is widened so that they are square.",
    )
    flip_across: bool = Field(default=False, description="Mirror left for right.")
    flip_down: bool = Field(default=False, description="Mirror top for bottom.")
    turns: int = Field(default=0, ge=0, le=3, description="Quarter turns clockwise.")


def turned(raster: Raster, *, pixel_aspect: float, flip_across: bool, flip_down: bool, turns: int) -> Raster:
    """Where the picture lies on its plate after it is made square, mirrored and turned."""
    square = raster
    if pixel_aspect != 1:
        square = raster.resized(max(1, round(raster.width * pixel_aspect)), raster.height)
    return square._replace(flip_across=flip_across, flip_down=flip_down, turns=turns)


def _run(picture: Picture, context: Context, **values: Any) -> Changes:
    raster = turned(picture.raster, **values)
    rgb, alpha = resized(picture.rgb, np.ascontiguousarray(picture.alpha), raster.width, raster.height)
    across, down = slice(None, None, -1 if raster.flip_across else 1), slice(None, None, -1 if raster.flip_down else 1)
    rgb, alpha = rgb[:, down, across], alpha[down, across]
    return {
        "raster": raster,
        "rgb": np.ascontiguousarray(np.rot90(rgb, -raster.turns, (1, 2))),
        "alpha": np.ascontiguousarray(np.rot90(alpha, -raster.turns)),
    }


def _applies(context: Context, **values: Any) -> bool:
    return values["pixel_aspect"] != 1 or values["flip_across"] or values["flip_down"] or values["turns"] > 0


STAGE = Stage("turn", ("rgb", "alpha"), _run, "take", Turn, _applies)
