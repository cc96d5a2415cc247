"""What lies outside or inside of drawn shapes discarded, or kept whole."""

from functools import partial
from typing import Any

from upholster.core.documents.masks import Drawn, Masks
from upholster.core.masks.joined import of_mask
from upholster.core.pipeline.stage import Changes, Context, Picture, Stage
from upholster.core.stages.masks.applied import applied


def _run(picture: Picture, context: Context, *, drawn: tuple[Drawn, ...]) -> Changes:
    return applied(picture, context, drawn, partial(of_mask, raster=picture.raster))


def _applies(context: Context, *, drawn: tuple[Drawn, ...], **others: Any) -> bool:
    return any(mask.does != "limit" for mask in drawn)


STAGE = Stage("masks", ("alpha", "cover", "raw_matte"), _run, "masks", Masks, _applies)
