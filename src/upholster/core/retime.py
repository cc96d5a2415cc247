"""Pictures that lie between two frames."""

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.core.composite.over import premultiply, unpremultiply
from upholster.core.timemap import Between

Plane = NDArray[np.float32]

#: Coverage below which premultiplied colour says nothing.
_COVERS = 0.004
#: How much brightness counts against coverage where motion is looked for.
_LIGHT = 0.7
#: Side of a picture below which the search for motion, which goes by patches, has nothing to go by.
_LEAST = 32


class Pair(NamedTuple):
    """Two keyed frames, ready for any number of pictures between them.

    Attributes
    ----------
    one, two : (7, h, w) float32
        Premultiplied colour, coverage, and colour as it is.
    onward, back : (h, w, 2) float32 or None
        Where each pixel of the first is found in the second, and the other way round; None where nothing is moved.
    """

    one: Plane
    two: Plane
    onward: Plane | None = None
    back: Plane | None = None


def pair_of(one: tuple[Plane, Plane], two: tuple[Plane, Plane], how: Between) -> Pair:
    """Two keyed frames, each straight colour ``(3, h, w)`` and coverage ``(h, w)``.

    With ``flow``, motion is looked for by dense inverse search (Kroeger et al. 2016, "Fast optical flow using dense
    inverse search") in both directions.
    """
    first, second = (np.concatenate([premultiply(*each), each[1][None], each[0]]) for each in (one, two))
    if how != "flow" or min(first.shape[1:]) < _LEAST:
        return Pair(first, second)
    search = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_MEDIUM)
    here, there = _seen(first), _seen(second)
    return Pair(first, second, search.calc(here, there, None), search.calc(there, here, None))


def between(pair: Pair, weight: float) -> tuple[Plane, Plane]:
    """Straight colour and coverage at `weight` 0..1 from the first frame to the second.

    Both are mixed premultiplied, as light adds; where motion is known, after they were moved to where things are by
    then (Jiang et al. 2018, "Super SloMo", equation 4).
    """
    w = np.float32(weight)
    one, two = pair.one, pair.two
    if pair.onward is not None and pair.back is not None:
        one = _warped(one, w * w * pair.back - (1 - w) * w * pair.onward)
        two = _warped(two, (1 - w) * (1 - w) * pair.onward - w * (1 - w) * pair.back)
    mixed: Plane = (one * (1 - w) + two * w).astype(np.float32, copy=False)
    alpha = mixed[3]
    return np.where(alpha > _COVERS, unpremultiply(mixed[:3], alpha), mixed[4:]), alpha


def _seen(held: Plane) -> NDArray[np.uint8]:
    """What the search compares: brightness over mid grey, and the coverage, so that outlines count as well."""
    r, g, b = held[:3] + np.float32(0.5) * (np.float32(1) - held[3])
    light = np.clip(0.25 * r + 0.5 * g + 0.25 * b, 0, 1)
    return ((_LIGHT * light + (1 - _LIGHT) * held[3]) * 255).astype(np.uint8)


def _warped(held: Plane, flow: Plane) -> Plane:
    height, width = held.shape[1:]
    x = np.arange(width, dtype=np.float32) + flow[..., 0]
    y = np.arange(height, dtype=np.float32)[:, None] + flow[..., 1]
    return np.stack([cv2.remap(c, x, y, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE) for c in held])
