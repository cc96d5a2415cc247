"""The clean plate: the screen alone, for every pixel, as if the subject were not there."""

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.core.grids import spread
from upholster.core.recipe import Screen
from upholster.core.screen.metric import to_metric
from upholster.core.screen.propose import primary
from upholster.core.screen.survey import Survey

Plane = NDArray[np.float32]


class ScreenKnowledge(NamedTuple):
    """What a shot knows about its screen.

    Attributes
    ----------
    plate : (3, rows, columns) float32
        The clean plate as a coarse grid over the whole picture, encoded RGB.
    noise : float
        Standard deviation of the grain on the screen, in the key's metric.
    primary : int
        The screen's strongest primary: 0 red, 1 green, 2 blue.
    unevenness : float
        Largest departure of the clean plate from its mean, in the key's metric.
    """

    plate: Plane
    noise: float
    primary: int
    unevenness: float


def measure_screen(survey: Survey, screen: Screen) -> ScreenKnowledge | None:
    """Clean plate and noise of a surveyed shot; None where the screen has no colour to go by.

    Cells whose colour is close to one of the screen's colours, and smooth, are averaged over the
    frames. What the subject always hides is filled in from around it. A second pass takes in
    cells that fit the local plate although they are far from the nominal colour: shade, a fold,
    the floor.
    """
    if screen.kind == "none" or not screen.colours:
        return None
    mean, rough = survey.mean, survey.deviation.mean(axis=1)
    metric = np.stack([to_metric(m) for m in mean])
    nominal = to_metric(np.array(screen.colours, np.float32).T)
    distance = np.min([np.linalg.norm(metric - c[None, :, None, None], axis=1) for c in nominal.T], axis=0)
    smooth = (
        rough
        < 3 * float(np.median(rough[distance < _reach(nominal)] if (distance < _reach(nominal)).any() else rough))
        + 0.004
    )
    trusted = (distance < _reach(nominal)) & smooth
    plate = _average(mean, trusted)
    if plate is None:
        colour = np.mean(screen.colours, axis=0).astype(np.float32)
        plate = np.broadcast_to(colour[:, None, None], mean.shape[1:]).copy()
    else:
        local = np.linalg.norm(metric - to_metric(plate)[None], axis=1)
        trusted = smooth & (local < 0.5 * _reach(nominal))
        plate = _average(mean, trusted) if trusted.any() else plate
        assert plate is not None
    spread_of = np.linalg.norm(to_metric(plate) - to_metric(plate).mean(axis=(1, 2), keepdims=True), axis=0)
    grain = rough[trusted] if trusted.any() else rough.ravel()
    return ScreenKnowledge(plate, float(np.median(grain)), primary(screen.colours), float(spread_of.max()))


def _reach(nominal: Plane) -> float:
    """How far from the nominal colour a cell may lie and still be screen: a share of its strength."""
    return max(0.05, 0.35 * float(np.linalg.norm(nominal[1:], axis=0).mean()))


def _average(mean: Plane, trusted: NDArray[np.bool_]) -> Plane | None:
    """Mean over the frames where a cell is trusted, and over its trusted neighbours."""
    # A cell next to one that is not screen may hold a sliver of the subject.
    sure = np.stack([cv2.erode(t.astype(np.uint8), np.ones((3, 3), np.uint8)) for t in trusted]).astype(np.float32)
    if not sure.any():
        sure = trusted.astype(np.float32)
    if not sure.any():
        return None
    count = sure.sum(axis=0)
    mass = cv2.GaussianBlur(count, (0, 0), 1.0)
    total = np.stack([cv2.GaussianBlur((mean[:, c] * sure).sum(axis=0), (0, 0), 1.0) for c in range(3)])
    return spread(total / np.maximum(mass, np.float32(1e-6)), np.minimum(count, np.float32(1)))
