"""Sharpening what is solid."""

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.core.documents.settings import Settings
from upholster.core.documents.tracks import Track, track
from upholster.core.pipeline.stage import Changes, Context, Picture, Stage

Plane = NDArray[np.float32]

#: Coverage from which a pixel counts.
_COUNTS = 0.5


class Sharpen(Settings):
    sharpen: Track = track(0.0, 0.0, 5.0, step=0.02, doc="How much of the fine detail is added.")
    sharpen_radius: Track = track(1.5, 0.3, 20.0, step=0.1, unit="px", doc="Sigma up to which detail is fine.")


def _run(picture: Picture, context: Context, *, sharpen: float, sharpen_radius: float) -> Changes:
    weight = picture.alpha if context.glow else np.clip((picture.alpha - _COUNTS) / (1 - _COUNTS), 0, 1)
    return {"rgb": sharpened(picture.rgb, weight, sharpen, picture.raster.length(sharpen_radius))}


def _applies(context: Context, *, sharpen: float, sharpen_radius: float) -> bool:
    return sharpen > 0


STAGE = Stage("sharpen", ("rgb", "alpha"), _run, "finish", Sharpen, _applies)


def sharpened(rgb: Plane, weight: Plane, amount: float, radius: float) -> Plane:
    """``(3, h, w)`` plus `amount` times what differs from its blur, as far as each pixel has `weight` ``(h, w)``.

    Unsharp masking; the blur is a normalised one (Knutsson and Westin 1993, "Normalized and differential
    convolution"), so that what has no weight, as the colours beyond an edge, is not seen.
    """
    weight = np.ascontiguousarray(weight, np.float32)
    held = np.maximum(_blurred(weight, radius), np.float32(1e-4))
    out = np.empty_like(rgb)
    for plane, to in zip(rgb, out, strict=True):
        blur = _blurred(plane * weight, radius) / held
        np.add(plane, np.float32(amount) * weight * (plane - blur), out=to)
    return out


def _blurred(plane: Plane, radius: float) -> Any:
    reach = int(4 * radius + 0.5)
    return cv2.GaussianBlur(plane, (2 * reach + 1,) * 2, radius, borderType=cv2.BORDER_REFLECT) if reach else plane
