"""How alike the colours of a picture are to those that were marked by hand."""

from collections.abc import Sequence
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.core.documents.screen import Colour
from upholster.core.grids import UpsampledGrid, read_colours
from upholster.core.kernels import compiled, over_rows
from upholster.core.screen.metric import TO_METRIC, to_metric
from upholster.core.screen.sampled import SPREAD

Plane = NDArray[np.float32]
Mask = NDArray[np.bool_]


class Likeness(NamedTuple):
    """How alike pixels are to something.

    Attributes
    ----------
    alike : (h, w) float32
        0..1: to it, rather than to all else.
    share : (h, w) float32
        0..1: how far on the way to the most alike of its colours from what it could be instead.
    """

    alike: Plane
    share: Plane


#: How much nearer a colour must be to what it is like than to all else, from nothing to wholly.
_FROM, _TO = 0.75, 0.95
#: How much of what lies around must be alike too: a line between two things is like a third by chance.
_LONE, _AMONG = 0.3, 0.55
#: The part of the picture's shorter side that "nearby" spans.
_NEARBY = 6


def likeness(
    plate: Plane, like: Sequence[Colour], unlike: Sequence[Colour], against: UpsampledGrid, *, alike: float, around: int
) -> Likeness:
    """How alike every pixel is to some colours rather than to others.

    Parameters
    ----------
    plate : (3, h, w) float32
        Encoded RGB.
    like, unlike : of encoded RGB 0..1
        At least one in `like`.
    against : UpsampledGrid
        One more colour it could be instead, for every pixel.
    alike : float
        Distance in the key's metric up to which colours are the same; from twice that they are not.
    around : int
        How far, in pixels, things of the same kind lie around it.
    """
    out, share = np.empty((2, *plate.shape[1:]), np.float32)
    same, other = _in_metric(like), _in_metric(unlike)
    over_rows(_likeness, plate.shape[1], plate, same, other, against, TO_METRIC, np.float32(alike), out, share)
    side = 2 * max(1, around) + 1
    among = cv2.blur(out, (side, side), borderType=cv2.BORDER_REPLICATE)
    return Likeness(out * np.clip((among - np.float32(_LONE)) / np.float32(_AMONG - _LONE), 0, 1), share)


def nearest(metric: Plane, colours: Sequence[Colour]) -> Plane:
    """Distance of colours in the key's metric, ``(n, 3, rows, columns)``, from the nearest of some encoded RGB."""
    if not colours:
        return np.full((metric.shape[0], *metric.shape[2:]), np.inf, np.float32)
    away = [np.linalg.norm(metric - colour[None, :, None, None], axis=1) for colour in _in_metric(colours)]
    return np.maximum(np.min(away, axis=0) - np.float32(SPREAD), 0)


def like_nearby(metric: Plane, wanted: Mask, known: Mask, alike: float) -> Mask:
    """Which `wanted` cells ``(rows, columns)`` have about the colour of `known` ones nearby, up to a distance `alike`.

    Parameters
    ----------
    metric : (3, rows, columns) float32
        Colours in the key's metric.
    """
    out = wanted.copy()
    if wanted.any():
        # Imported late: whoever measures no screen need not wait for it.
        from scipy.spatial import KDTree

        reach = min(known.shape) / _NEARBY
        where = np.stack([*(np.indices(known.shape) / reach), *(metric / alike)], axis=-1)
        away, _ = KDTree(where[known]).query(where[wanted], distance_upper_bound=1)
        out[wanted] = away < 1
    return out


def _in_metric(colours: Sequence[Colour]) -> Plane:
    return np.ascontiguousarray(to_metric(np.array(colours, np.float32).reshape(-1, 3).T).T)


@compiled
def _likeness(plate, like, unlike, against, metric, alike, out, share, first, end):
    one, zero, spread = np.float32(1), np.float32(0), np.float32(SPREAD)
    width = out.shape[-1]
    r, g, b = np.empty(width, np.float32), np.empty(width, np.float32), np.empty(width, np.float32)
    m = metric
    for j in range(first, end):
        read_colours(against, j, r, g, b)
        for i in range(width):
            cr, cg, cb = plate[0, j, i], plate[1, j, i], plate[2, j, i]
            x = m[0, 0] * cr + m[0, 1] * cg + m[0, 2] * cb
            y = m[1, 0] * cr + m[1, 1] * cg + m[1, 2] * cb
            z = m[2, 0] * cr + m[2, 1] * cg + m[2, 2] * cb
            near, most = np.float32(np.inf), 0
            for k in range(like.shape[0]):
                away = (x - like[k, 0]) ** 2 + (y - like[k, 1]) ** 2 + (z - like[k, 2]) ** 2
                if away < near:
                    near, most = away, k
            dr, dg, db = cr - r[i], cg - g[i], cb - b[i]
            u = m[0, 0] * dr + m[0, 1] * dg + m[0, 2] * db
            v = m[1, 0] * dr + m[1, 1] * dg + m[1, 2] * db
            w = m[2, 0] * dr + m[2, 1] * dg + m[2, 2] * db
            far = u * u + v * v + w * w
            # From the other colour, C - u, to the most alike.
            du, dv, dw = like[most, 0] - x + u, like[most, 1] - y + v, like[most, 2] - z + w
            along = (u * du + v * dv + w * dw) / max(du * du + dv * dv + dw * dw, np.float32(1e-6))
            share[j, i] = min(max(along, zero), one)
            for k in range(unlike.shape[0]):
                far = min(far, (x - unlike[k, 0]) ** 2 + (y - unlike[k, 1]) ** 2 + (z - unlike[k, 2]) ** 2)
            near, far = max(np.sqrt(near) - spread, zero), np.sqrt(far)
            nearer = (far - near) / max(far + near, np.float32(1e-6))
            sure = min(max((nearer - np.float32(_FROM)) / np.float32(_TO - _FROM), zero), one)
            out[j, i] = sure * min(max(np.float32(2) - near / alike, zero), one)
