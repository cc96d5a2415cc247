"""Reading the colours of a place that was marked on the picture."""

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.core.documents.screen import COLOURS, Colour, Of, Sample
from upholster.core.raster import Raster
from upholster.core.screen.metric import to_metric

Plane = NDArray[np.float32]

#: How far, in the key's metric, the pixels of one colour may be from it.
SPREAD = 0.03
#: Share of the pixels that may lie outside all colours: grain, and what was hit by mistake.
_STRAY = 0.04
#: Most pixels that are looked at.
_LOOKED_AT = 4000


class Spot(NamedTuple):
    """A place on the plate: a rectangle about (x, y), or a scribble of a width of twice `radius` along `course`."""

    x: float
    y: float
    radius: float
    half_height: float | None = None
    course: tuple[tuple[float, float], ...] = ()


def read_at(rgb: Plane, raster: Raster, spot: Spot, of: Of, frame: int) -> Sample:
    """A spot of a picture ``(3, h, w)``, with its colours.

    Raises
    ------
    ValueError
        Where it lies outside the picture.
    """
    colour, colours = colours_in(rgb[:, inside(spot, raster)])
    return Sample(of=of, frame=frame, colour=colour, colours=colours, **spot._asdict())


def inside(spot: Spot, raster: Raster) -> NDArray[np.bool_]:
    """Which pixels of a picture a mark lies on, ``(h, w)``."""
    drawn = np.zeros((raster.height, raster.width), np.uint8)
    if spot.course:
        places = np.array([raster.place(x, y) for x, y in spot.course], np.float64)
        # Far outside, whole numbers of drawing run over.
        line = np.clip(places, -(2**15), 2**15).round().astype(np.int32)
        cv2.polylines(drawn, [line.reshape(-1, 1, 2)], False, 1, max(1, round(2 * raster.length(spot.radius))))
        return drawn > 0
    x, y = raster.place(spot.x, spot.y)
    across = raster.length(spot.radius)
    down = raster.length(spot.half_height or spot.radius)
    drawn[max(0, int(y - down)) : max(0, int(y + down) + 1), max(0, int(x - across)) : max(0, int(x + across) + 1)] = 1
    return drawn > 0


def colours_in(pixels: Plane) -> tuple[Colour, tuple[Colour, ...]]:
    """The mean of ``(3, n)`` pixels, and the few colours they consist of.

    Each colour is the one furthest from those before, until all but a few stray pixels are near one (the farthest-first
    traversal of Gonzalez 1985, "Clustering to minimize the maximum intercluster distance"); then the mean of what is
    nearest to it.

    Raises
    ------
    ValueError
        Where there are no pixels.
    """
    if not pixels.shape[1]:
        raise ValueError("that point lies outside the picture")
    few = pixels[:, :: -(-pixels.shape[1] // _LOOKED_AT)]
    metric = to_metric(few)
    mean = few.mean(axis=1)
    centres = [metric[:, np.argmin(_distance(metric, to_metric(mean)))]]
    away = _distance(metric, centres[0])
    while len(centres) < COLOURS:
        far = np.argsort(away, kind="stable")[int((len(away) - 1) * (1 - _STRAY))]
        if away[far] < SPREAD:
            break
        centres.append(metric[:, far])
        away = np.minimum(away, _distance(metric, centres[-1]))
    nearest = np.argmin([_distance(metric, centre) for centre in centres], axis=0)
    kept = [few[:, nearest == k].mean(axis=1) for k in range(len(centres)) if (nearest == k).mean() > _STRAY]
    return _rgb(mean), tuple(_rgb(colour) for colour in kept) if len(kept) > 1 else ()


def _distance(metric: Plane, colour: Plane) -> Plane:
    return np.linalg.norm(metric - colour[:, None], axis=0)


def _rgb(colour: Plane) -> Colour:
    r, g, b = (round(float(value), 5) for value in colour)
    return r, g, b
