"""Cutting away the borders of a plate that are not screen, before anything is measured or keyed."""

from typing import Any, NamedTuple

from pydantic import Field

from upholster.core.documents.settings import Settings
from upholster.core.pipeline.stage import Changes, Context, Picture, Stage

#: Pixels of each side of the plate that always stay.
LEAST = 16


class Crop(Settings):
    crop_left: int = Field(default=0, ge=0, le=65535, description="Cut away at the left, pixels of the plate.")
    crop_top: int = Field(default=0, ge=0, le=65535, description="Cut away at the top.")
    crop_right: int = Field(default=0, ge=0, le=65535, description="Cut away at the right.")
    crop_bottom: int = Field(default=0, ge=0, le=65535, description="Cut away at the bottom.")


class Borders(NamedTuple):
    """Pixels of the plate that are cut away."""

    left: int
    top: int
    right: int
    bottom: int


def borders(width: int, height: int, *, crop_left: int, crop_top: int, crop_right: int, crop_bottom: int) -> Borders:
    """What is cut away of a plate; of one too small for that, less, so that `LEAST` pixels stay."""

    def fitting(before: int, after: int, side: int) -> tuple[int, int]:
        room = max(0, side - LEAST)
        return min(before, room), min(after, room - min(before, room))

    left, right = fitting(crop_left, crop_right, width)
    top, bottom = fitting(crop_top, crop_bottom, height)
    return Borders(left, top, right, bottom)


def _run(picture: Picture, context: Context, **sides: int) -> Changes:
    cut = borders(picture.raster.plate_width, picture.raster.plate_height, **sides)
    raster, rows, columns = picture.raster.cropped(*cut)
    alpha = picture.source_alpha
    return {
        "raster": raster,
        "rgb": picture.rgb[:, rows, columns].copy(),
        "alpha": picture.alpha[rows, columns],
        "source_alpha": None if alpha is None else alpha[rows, columns].copy(),
    }


def _applies(context: Context, **sides: Any) -> bool:
    return any(sides.values())


STAGE = Stage("crop", ("rgb", "alpha", "source_alpha"), _run, "take", Crop, _applies)
