"""How a layer joins what lies below it.

W3C Compositing and Blending Level 1 (section 5, and 10.1 for each way), which for `over` is Porter and Duff 1984. With
premultiplied colours: ``co = (1 - ab) cs + (1 - as) cb + as ab B(Cb, Cs)`` and ``ao = as + ab - as ab``; `add` is
their `plus-lighter` (section 9.1.4 of level 1: `lighter`), without its clamp for colours, which encoders make.
"""

import numpy as np
from numpy.typing import NDArray

from upholster.core.composite.transform import Patch
from upholster.core.documents.fitting import Blend
from upholster.core.kernels import compiled

Plane = NDArray[np.float32]

_WAYS: dict[Blend, int] = {"over": 0, "add": 1, "screen": 2, "multiply": 3}


def blend(canvas: Plane, patch: Patch, way: Blend, opacity: float) -> None:
    """Lay a patch over `canvas`, premultiplied RGBA ``(h, w, 4)`` float32, in place."""
    tall, wide = patch.rgba.shape[:2]
    below = canvas[patch.top : patch.top + tall, patch.left : patch.left + wide]
    _lay(below, patch.rgba, _WAYS[way], np.float32(opacity))


@compiled
def _lay(below, layer, way, opacity):
    one = np.float32(1)
    for j in range(below.shape[0]):
        for i in range(below.shape[1]):
            cover = layer[j, i, 3] * opacity
            if cover <= 0 and way != 1:
                continue
            under = below[j, i, 3]
            for c in range(3):
                own, seen = layer[j, i, c] * opacity, below[j, i, c]
                if way == 0:
                    below[j, i, c] = own + (one - cover) * seen
                elif way == 1:
                    below[j, i, c] = own + seen
                elif way == 2:
                    below[j, i, c] = own + seen - own * seen
                else:
                    below[j, i, c] = (one - under) * own + (one - cover) * seen + own * seen
            below[j, i, 3] = min(cover + under, one) if way == 1 else cover + under - cover * under
