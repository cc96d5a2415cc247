"""Pictures that lie between two frames."""

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.core.composite import premultiply, unpremultiply
from upholster.core.timemap import Between

Plane = NDArray[np.float32]

#: Coverage below which premultiplied colour says nothing.
_COVERS = 0.004
#: How much brightness counts against coverage where motion is looked for.
_LIGHT = 0.7


def between(one: tuple[Plane, Plane], two: tuple[Plane, Plane], weight: float, how: Between) -> tuple[Plane, Plane]:
    """Straight colour ``(3, h, w)`` and coverage ``(h, w)`` between two keyed frames.

    Both are mixed premultiplied, as light adds.

    Parameters
    ----------
    weight : float
        How far it lies towards the second, 0..1.
    how : str
        ``blend`` lays one over the other where they are; ``flow`` moves both to where things are by then.
    """
    if how == "repeat" or weight == 0:
        return one
    held = [np.concatenate([premultiply(*each), each[1][None], each[0]]) for each in (one, two)]
    if how == "flow":
        held = _brought_together(held[0], held[1], np.float32(weight))
    w = np.float32(weight)
    mixed: Plane = (held[0] * (1 - w) + held[1] * w).astype(np.float32, copy=False)
    alpha = mixed[3]
    return np.where(alpha > _COVERS, unpremultiply(mixed[:3], alpha), mixed[4:]), alpha


def _brought_together(one: Plane, two: Plane, at: np.float32) -> list[Plane]:
    """Both pictures warped to where things are at `at` 0..1 between them.

    Notes
    -----
    Dense inverse search (Kroeger et al. 2016, "Fast optical flow using dense inverse search") in both
    directions; the flow in between by Jiang et al. 2018, "Super SloMo", equation 4.
    """
    height, width = one.shape[1:]
    # Smaller than its patches, the search has nothing to go by.
    if min(height, width) < 32:
        return [one, two]
    first, second = _seen(one), _seen(two)
    search = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_MEDIUM)
    onward, back = search.calc(first, second, None), search.calc(second, first, None)
    to_one = -(1 - at) * at * onward + at * at * back
    to_two = (1 - at) * (1 - at) * onward - at * (1 - at) * back
    return [_warped(one, to_one), _warped(two, to_two)]


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
