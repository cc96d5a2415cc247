"""From code values to colour."""

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from upholster.core.colour import encode_srgb
from upholster.core.composite.over import unmixed
from upholster.core.wide_colour import Curve, to_bt709
from upholster.core.yuv import to_rgb
from upholster.media.decoder.planes import Planes
from upholster.media.facts import Facts

Plane = NDArray[np.float32]

_CURVES: dict[str, Curve] = {"pq": "pq", "hlg": "hlg"}


class Frame(NamedTuple):
    """A frame as keying wants it: encoded RGB ``(3, h, w)`` and, where the file has one, its alpha.

    `damaged` says that a part of it was made up by the decoder.
    """

    rgb: Plane
    alpha: Plane | None
    damaged: bool = False


def to_frame(planes: Planes, facts: Facts) -> Frame:
    """Code values to straight encoded RGB at full precision, turned upright."""
    tags = facts.colour
    scale = np.float32(1 / ((1 << planes.depth) - 1)) if planes.depth else np.float32(1)
    alpha = None if planes.alpha is None or not facts.alpha_kind else planes.alpha.astype(np.float32) * scale
    if planes.model == "yuv":
        rgb = to_rgb(*planes.arrays, depth=planes.depth, matrix=tags.matrix, code_range=tags.range, siting=tags.siting)
    else:
        channels = planes.arrays * 3 if planes.model == "grey" else planes.arrays
        rgb = np.stack([c.astype(np.float32) * scale for c in channels])
    if not planes.depth:
        rgb = np.nan_to_num(rgb, nan=0.0, posinf=65504.0, neginf=0.0)
        alpha = None if alpha is None else np.nan_to_num(alpha, nan=0.0).clip(0, 1)
    if alpha is not None and facts.alpha_kind == "premultiplied":
        rgb = unmixed(rgb, alpha, facts.alpha_over)
    if facts.converted:
        rgb = to_bt709(rgb, _CURVES.get(tags.transfer, "gamma"), wide=tags.primaries == "bt2020")
    elif tags.transfer == "linear":
        rgb = encode_srgb(rgb)
    turns = facts.rotation // 90 % 4
    if turns:
        rgb = np.ascontiguousarray(np.rot90(rgb, turns, (1, 2)))
        alpha = None if alpha is None else np.ascontiguousarray(np.rot90(alpha, turns))
    return Frame(rgb, alpha, planes.damaged)
