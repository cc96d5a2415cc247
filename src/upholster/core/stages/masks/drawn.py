"""What lies outside or inside of drawn shapes discarded, or kept whole."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from upholster.core.documents.masks import Drawn, Masks
from upholster.core.masks.joined import joined
from upholster.core.pipeline.stage import Changes, Context, Picture, Stage, covered
from upholster.core.raster import Raster

Plane = NDArray[np.float32]


def _run(picture: Picture, context: Context, *, drawn: tuple[Drawn, ...]) -> Changes:
    cover, raw = (picture.cover, picture.raw_matte) if context.keyed else (picture.alpha, picture.alpha)
    let_through = _let_through(drawn, picture.raster)
    if let_through is not None:
        cover, raw = cover * let_through, raw * let_through
    changes = covered(cover) | {"raw_matte": raw}
    held = joined((m for m in drawn if m.does == "keep_inside"), picture.raster)
    if held is None:
        return changes
    return changes | covered(cover + held * (1 - cover)) | {"held": held}


def _let_through(drawn: tuple[Drawn, ...], raster: Raster) -> Plane | None:
    """What garbage masks leave, 0..1; None where there are none."""
    inside = joined((m for m in drawn if m.does == "discard_outside"), raster, around=1.0)
    gone = joined((m for m in drawn if m.does == "discard_inside"), raster)
    if gone is None:
        return inside
    return 1 - gone if inside is None else inside * (1 - gone)


def _applies(context: Context, *, drawn: tuple[Drawn, ...], **others: Any) -> bool:
    return any(mask.does != "limit" for mask in drawn)


STAGE = Stage("masks", ("alpha", "cover", "raw_matte"), _run, "masks", Masks, _applies)
