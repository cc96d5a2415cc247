"""What the small instruments of the work order show, from one keyed picture."""

from collections.abc import Sequence
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.core.finish.tone import Tone, toned
from upholster.core.screen.metric import to_metric

Plane = NDArray[np.float32]

BINS = 64
#: Cells of the chroma plane along each side; it spans -0.5..0.5 of B'-Y' and R'-Y'.
CELLS = 48
#: How far the edge profile goes to either side, in pixels of the plate.
FAR = 12


class Profile(NamedTuple):
    """Mean coverage at each distance from the edge, negative outside; None where no pixel lies that far."""

    distances: list[int]
    raw_matte: list[float | None]
    matte: list[float | None]


def histogram(matte: Plane) -> list[int]:
    """How many pixels have each of `BINS` coverages 0..1."""
    counts: list[int] = np.histogram(matte, bins=BINS, range=(0, 1))[0].tolist()
    return counts


def primaries(rgb: Plane, alpha: Plane) -> list[list[int]]:
    """How much of the subject has which value 0..1 of red, green and blue: `BINS` each, weighted by coverage."""
    return [np.histogram(plane, bins=BINS, range=(0, 1), weights=alpha)[0].astype(np.int64).tolist() for plane in rgb]


def tone_curves(tones: Sequence[Tone]) -> list[list[float]]:
    """What red, green and blue go through, at ``BINS + 1`` values 0..1."""
    at = np.linspace(0, 1, BINS + 1)
    return [toned(at, tone).round(4).tolist() for tone in tones]


def chroma_plane(rgb: Plane) -> list[tuple[int, int, int]]:
    """Cells of the chroma plane that hold pixels: (column of B'-Y', row of R'-Y', count)."""
    _, blue, red = to_metric(rgb)
    counts, _, _ = np.histogram2d(blue.ravel(), red.ravel(), bins=CELLS, range=[[-0.5, 0.5], [-0.5, 0.5]])
    columns, rows = np.nonzero(counts)
    return [(int(a), int(b), int(counts[a, b])) for a, b in zip(columns, rows, strict=True)]


def edge_profile(raw_matte: Plane, matte: Plane, step: float) -> Profile:
    """Coverage across the edge, before and after the choices of the recipe, averaged along it.

    Parameters
    ----------
    raw_matte, matte : (h, w) float32
    step : float
        Length of a pixel of the plate in these pictures.
    """
    inside = (raw_matte >= 0.5).astype(np.uint8)
    if not 0 < int(inside.sum()) < inside.size:
        return Profile([], [], [])
    within = cv2.distanceTransform(inside, cv2.DIST_L2, 5) - np.float32(0.5)
    without = cv2.distanceTransform(1 - inside, cv2.DIST_L2, 5) - np.float32(0.5)
    away = np.rint(np.where(inside > 0, within, -without) / np.float32(step)).astype(np.int64)
    near = np.abs(away) <= FAR
    at = away[near] + FAR
    count = np.bincount(at, minlength=2 * FAR + 1)

    def mean(plane: Plane) -> list[float | None]:
        total = np.bincount(at, weights=plane[near], minlength=2 * FAR + 1)
        return [float(t / n) if n else None for t, n in zip(total, count, strict=True)]

    return Profile(list(range(-FAR, FAR + 1)), mean(raw_matte), mean(matte))
