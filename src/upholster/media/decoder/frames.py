"""From code values to colour."""

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from upholster.core.colour import encode_srgb
from upholster.core.yuv import to_rgb
from upholster.media.decoder.planes import Planes
from upholster.media.facts import ColourTags

Plane = NDArray[np.float32]


class Frame(NamedTuple):
    """A frame as keying wants it: encoded RGB ``(3, h, w)`` and, where the file has one, its alpha."""

    rgb: Plane
    alpha: Plane | None


def to_frame(planes: Planes, tags: ColourTags, rotation: int = 0) -> Frame:
    """Code values to encoded RGB at full precision, turned upright."""
    scale = np.float32(1 / ((1 << planes.depth) - 1)) if planes.depth else np.float32(1)
    if planes.model == "yuv":
        rgb = to_rgb(*planes.arrays, depth=planes.depth, matrix=tags.matrix, code_range=tags.range, siting=tags.siting)
    else:
        channels = planes.arrays * 3 if planes.model == "grey" else planes.arrays
        rgb = np.stack([c.astype(np.float32) * scale for c in channels])
        if not planes.depth:
            rgb = np.nan_to_num(rgb, nan=0.0, posinf=65504.0, neginf=0.0)
        if tags.transfer == "linear":
            rgb = encode_srgb(rgb)
    alpha = None if planes.alpha is None else planes.alpha.astype(np.float32) * scale
    turns = rotation // 90 % 4
    if turns:
        rgb = np.ascontiguousarray(np.rot90(rgb, turns, (1, 2)))
        alpha = None if alpha is None else np.ascontiguousarray(np.rot90(alpha, turns))
    return Frame(rgb, alpha)
