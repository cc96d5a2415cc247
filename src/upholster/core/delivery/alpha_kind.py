"""Telling straight from premultiplied pictures by looking at their soft edges."""

from typing import Literal, NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.core.grids import spread

Plane = NDArray[np.float32]

#: Half-covered pixels needed before anything is said.
_ENOUGH = 200
#: Mean difference from the subject's colour below which an edge has just that, and what counts as black.
_ALIKE, _BLACK = 0.06, 0.08


class Verdict(NamedTuple):
    """What the edges of a picture look like.

    Attributes
    ----------
    kind : {"straight", "premultiplied", "opaque", "empty", "unclear"}
    over : of 3 float or None
        The colour edges are mixed with, encoded RGB; black for premultiplied in the strict sense.
    """

    kind: Literal["straight", "premultiplied", "opaque", "empty", "unclear"]
    over: tuple[float, float, float] | None = None


def judge_alpha(rgb: Plane, alpha: Plane) -> Verdict:
    """Whether colour ``(3, h, w)`` is kept whole under `alpha` or mixed with something by it.

    Notes
    -----
    A straight picture holds the subject's colour F at an edge; a premultiplied or flattened one holds
    ``C = a F + (1 - a) M`` (Porter and Duff 1984), M being black or the colour it lay over. F is carried
    outward from solid pixels nearby. Solved for M at every edge pixel, the answers agree with each other
    in the second case, and with F in the first.
    """
    if alpha.max() <= 0.002:
        return Verdict("empty")
    if alpha.min() >= 0.998:
        return Verdict("opaque")
    solid = (alpha > 0.98).astype(np.float32)
    near = cv2.dilate(solid, np.ones((15, 15), np.uint8)) > 0
    soft = (alpha > 0.08) & (alpha < 0.92) & near
    if int(soft.sum()) < _ENOUGH:
        return _by_limits(rgb, alpha)
    subject = spread(rgb, solid)[:, soft]
    through = 1 - alpha[soft]
    behind = subject + (rgb[:, soft] - subject) / through
    ground = np.median(behind, axis=1)
    # An answer is the surer the more shows through.
    away_from_subject = float((np.abs(behind - subject).mean(axis=0) * through).sum() / through.sum())
    apart = float((np.abs(behind - ground[:, None]).mean(axis=0) * through).sum() / through.sum())
    # Each answer may be far off, since grain counts the more the less shows through: not so their middle.
    usually = float(np.abs(np.median(behind - subject, axis=1)).mean())
    if away_from_subject < max(_ALIKE, apart) or usually < _ALIKE / 2:
        return Verdict("straight")
    r, g, b = (float(c) for c in ground.clip(0, 1))
    if max(r, g, b) < _BLACK:
        r = g = b = 0.0
    return Verdict("premultiplied", (r, g, b))


def _by_limits(rgb: Plane, alpha: Plane) -> Verdict:
    """Colour above alpha cannot be premultiplied; colour never above it hardly is anything else."""
    soft = (alpha > 0.02) & (alpha < 0.9)
    if int(soft.sum()) < _ENOUGH:
        return Verdict("unclear")
    above = rgb.max(axis=0)[soft] > alpha[soft] + 0.02
    if above.mean() > 0.02:
        return Verdict("straight")
    return Verdict("premultiplied", (0.0, 0.0, 0.0))
