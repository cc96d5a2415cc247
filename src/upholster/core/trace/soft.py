"""How far pixels at an outline are covered: between the subject's colours and those of the ground."""

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.core.kernels import clamped, compiled, over_rows
from upholster.core.trace.plate import Ground

Plane = NDArray[np.float32]
Bytes = NDArray[np.uint8]

#: Distances over which colours are spread from where they are sure, in pixels: near ones first.
_SPREADS = (5, 15, 45)
#: Doubt of a ground that is still believed, in steps of L*a*b*.
_SURE = 10
#: Square of the distance of two colours, in steps of L*a*b*, at which they begin to tell coverage.
_TELLS = 220.0


def soft_cover(lab: Bytes, label: Plane, unknown: NDArray[np.bool_], ground: Ground | None) -> Plane:
    """Coverage 0..1 of a part of a picture.

    Parameters
    ----------
    lab : (h, w, 3) uint8
    label : (h, w) float32
        How likely each pixel is the subject's.
    unknown : (h, w) bool
        Where coverage may lie between; elsewhere it is 0 or 1 by `label`.
    ground : Ground or None
        What is behind, where the rest of the clip shows it.

    Notes
    -----
    The projection of the pixel on the way from the ground's colour to the subject's, ``(C - B).(F - B) / |F - B|^2``.
    Where the two are alike it tells nothing, and what the walk found stands in its place.
    """
    inside = ((label >= 0.5) & ~unknown).astype(np.float32)
    outside = ((label < 0.5) & ~unknown).astype(np.float32)
    colours = lab.astype(np.float32)
    subject, behind = spread(colours, inside), spread(colours, outside)
    if ground is not None:
        sure = ground.doubt <= _SURE
        behind[sure] = ground.lab[sure]
    out = (label >= 0.5).astype(np.float32)
    over_rows(_project_rows, len(out), colours, subject, behind, label, unknown, out)
    return out


def spread(colours: NDArray[np.float32], sure: Plane) -> NDArray[np.float32]:
    """Colours ``(h, w, 3)`` carried from where they are sure to where they are not, from the nearest that are."""
    known = sure.copy()
    out = colours * sure[..., None]
    for reach in _SPREADS:
        size = (2 * reach + 1, 2 * reach + 1)
        weight = cv2.blur(sure, size)
        mean = cv2.blur(colours * sure[..., None], size) / np.maximum(weight, 1e-6)[..., None]
        new = (known == 0) & (weight > 1e-4)
        out[new] = mean[new]
        known[new] = 1
    return out


@compiled
def _project_rows(colours, subject, behind, label, unknown, out, first_row, end_row):
    for row in range(first_row, end_row):
        for column in range(out.shape[1]):
            if not unknown[row, column]:
                continue
            far = np.float32(0.0)
            along = np.float32(0.0)
            for c in range(3):
                way = subject[row, column, c] - behind[row, column, c]
                far += way * way
                along += way * (colours[row, column, c] - behind[row, column, c])
            told = far / (far + np.float32(_TELLS))
            share = clamped(along / max(far, np.float32(1.0)), np.float32(1.0))
            out[row, column] = told * share + (np.float32(1.0) - told) * label[row, column]
