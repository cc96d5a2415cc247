"""Putting back the chroma that subsampling threw away, guided by luma.

At an edge between two colours every component is a mixture with the same coverage, so within a
small window chroma is a straight line of luma. The line is fitted on the chroma grid and applied
to the full luma: the guided filter of He, Sun and Tang 2013, "Guided image filtering", used for
joint upsampling (their section 5.4). What the line does not explain is added back, so the picture
still has the chroma that was stored.
"""

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

Plane = NDArray[np.float32]

#: Side of the window, in chroma samples.
WINDOW = 3
#: Luma variance below which luma is taken to be grain and guides nothing (0..1 squared).
GRAIN = np.float32((1.5 / 255) ** 2)


class Line(NamedTuple):
    """``chroma = slope * luma + offset``, given on the chroma grid, in units of 0..1 luma."""

    slope: Plane
    offset: Plane


def luma_at_chroma(luma: Plane, shape: tuple[int, int], cosited: tuple[bool, bool]) -> Plane:
    """Luma low-passed and sampled where the chroma samples lie.

    Parameters
    ----------
    shape : (rows, columns) of the chroma grid
    cosited : (down, across)
        Whether the first chroma sample lies on the first luma sample, or between two.
    """
    ratios = [max(1, round(n / m)) for n, m in zip(luma.shape, shape, strict=True)]
    kernels = []
    for ratio, on in zip(ratios, cosited, strict=True):
        taps = {1: [1.0], 2: [0.25, 0.5, 0.25] if on else [0.5, 0.5]}.get(ratio, [1 / ratio] * ratio)
        kernels.append(np.array(taps, np.float32))
    anchor = (len(kernels[1]) // 2 if cosited[1] else 0, len(kernels[0]) // 2 if cosited[0] else 0)
    soft = cv2.sepFilter2D(luma, cv2.CV_32F, kernels[1], kernels[0], anchor=anchor, borderType=cv2.BORDER_REPLICATE)
    return np.ascontiguousarray(soft[:: ratios[0], :: ratios[1]][: shape[0], : shape[1]])


def fit_lines(luma: Plane, *chromas: Plane) -> list[Line]:
    """Local lines of each chroma plane over `luma`, all on the chroma grid."""
    mean = _box(luma)
    variance = _box(luma * luma) - mean * mean
    inverse = np.float32(1) / (variance + GRAIN)
    lines = []
    for chroma in chromas:
        chroma_mean = _box(chroma)
        slope = _box((_box(luma * chroma) - mean * chroma_mean) * inverse)
        # Offset such that the line passes through the stored sample: the unexplained rest included.
        lines.append(Line(slope, chroma - slope * luma))
    return lines


def _box(plane: Plane) -> Plane:
    return cv2.boxFilter(plane, cv2.CV_32F, (WINDOW, WINDOW), borderType=cv2.BORDER_REPLICATE)
