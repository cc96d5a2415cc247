"""Several masks that do the same, as one coverage."""

from collections.abc import Iterable

import numpy as np
from numpy.typing import NDArray

from upholster.core.documents.masks import Drawn
from upholster.core.masks.coverage import coverage
from upholster.core.raster import Raster

Plane = NDArray[np.float32]


def joined(masks: Iterable[Drawn], raster: Raster, *, around: float = 0.0) -> Plane | None:
    """Coverage 0..1 of masks joined one after the other, ``(h, w)``; None where there are none.

    Parameters
    ----------
    around : float
        What holds before the first of them, and where it lets it through: 1 for what is kept before anything
        outside is discarded, else 0.

    Notes
    -----
    Coverages join as independent ones do (Porter and Duff 1984, "Compositing digital images": over, out, in, xor). A
    mask's opacity mixes what is after it with what was before it.
    """
    whole: Plane | None = None
    for mask in masks:
        patch = coverage(mask.points, raster, feather=mask.feather, spread=mask.spread)
        opacity = np.float32(mask.opacity)
        if whole is None:
            height, width = raster.height, raster.width
            first = patch.over(height, width)
            if mask.joins == "take_away":
                first = 1 - first
            whole = first if opacity == 1 else around + opacity * (first - np.float32(around))
            continue
        part = whole[patch.slices]
        match mask.joins:
            case "add":
                part += opacity * patch.plane * (1 - part)
            case "take_away":
                part -= opacity * patch.plane * part
            case "either":
                part += opacity * patch.plane * (1 - 2 * part)
            case "common":
                kept = part * (1 - opacity * (1 - patch.plane))
                whole *= 1 - opacity
                whole[patch.slices] = kept
    return whole
