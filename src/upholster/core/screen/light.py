"""The light on the screen on one frame, where it is not what it was on others: lamps drift, and irises are turned."""

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.core.grids import area, spread
from upholster.core.kernels import compiled
from upholster.core.screen.metric import LUMA_WEIGHT, to_metric

Plane = NDArray[np.float32]

#: Parts of the picture across and down in which light is measured.
_PARTS = 8, 5
#: Share of the screen's purity that a cell of it may depart by, in strength and in hue; and how much brighter or darker
#: light may make it.
_PURE, _HUE, _RANGE = 0.08, 0.06, (0.5, 2.0)
#: Share of a part that must be screen for its light to be known.
_SEEN = 0.25
#: Change of light that is no change.
_STEADY = 0.01
#: Colour over light below which a screen has no purity to go by.
_GREY = 0.05


def light_on(clean: Plane, cells: Plane) -> Plane | None:
    """How much brighter the screen is on a frame than on the clean plate; None where it is as bright.

    Light scales all of a colour alike, so that its purity, colour difference over luma, stays; a veil or the subject
    changes that. Where purity is the screen's, the median of how much brighter it is tells of the light; where little
    of a part of the picture is screen, what is around it does.

    Parameters
    ----------
    clean : (3, rows, columns) float32
    cells : (3, n, m) float32
        The same part of the frame.

    Returns
    -------
    (rows, columns) float32 or None
    """
    gain = _gain(clean, cells)
    if np.abs(gain - 1).max() < _STEADY:
        return None
    return cv2.resize(gain, clean.shape[:0:-1]).astype(np.float32)


def as_lit(clean: Plane, cells: Plane) -> Plane:
    """The clean plate in the light of a frame, ``(3, rows, columns)``; see `light_on`."""
    light = light_on(clean, cells)
    return clean if light is None else clean * light


def _gain(clean: Plane, cells: Plane) -> Plane:
    """How much brighter the screen is than on the clean plate, by parts of the picture, ``(5, 8)``."""
    rows, columns = clean.shape[1:]
    here, there = to_metric(area(cells, columns, rows)), to_metric(clean)
    darkest = np.float32(0.02 * LUMA_WEIGHT)
    bright, nominal = np.maximum(here[0], darkest), np.maximum(there[0], darkest)
    one, two, own_one, own_two = here[1] / bright, here[2] / bright, there[1] / nominal, there[2] / nominal
    squared = np.maximum(own_one * own_one + own_two * own_two, np.float32((_GREY / LUMA_WEIGHT) ** 2))
    pure = np.abs((one * own_one + two * own_two) / squared - 1) < np.float32(_PURE)
    hued = np.abs(one * own_two - two * own_one) / squared < np.float32(_HUE)
    gain = bright / nominal
    screen = pure & hued & (gain > np.float32(_RANGE[0])) & (gain < np.float32(_RANGE[1]))
    across, down = min(_PARTS[0], columns), min(_PARTS[1], rows)
    told, sure = np.ones((1, down, across), np.float32), np.zeros((down, across), np.float32)
    y, x = np.linspace(0, rows, down + 1).astype(int), np.linspace(0, columns, across + 1).astype(int)
    _medians(gain, screen, y, x, told[0], sure)
    return spread(told, sure)[0] if sure.any() else told[0]


@compiled
def _medians(gain, screen, y, x, told, sure):
    """The median of every part between rows `y` and columns `x` where enough of it is screen, and how much is."""
    seen = np.empty(gain.size, gain.dtype)
    for j in range(told.shape[0]):
        for i in range(told.shape[1]):
            count = 0
            for row in range(y[j], y[j + 1]):
                for column in range(x[i], x[i + 1]):
                    if screen[row, column]:
                        seen[count] = gain[row, column]
                        count += 1
            size = (y[j + 1] - y[j]) * (x[i + 1] - x[i])
            if count > _SEEN * size:
                told[j, i], sure[j, i] = np.median(seen[:count]), count / size
