"""Taking out only the ground that is joined to chosen places."""

from collections.abc import Sequence
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from upholster.core.documents.settings import Settings
from upholster.core.documents.tracks import Track, track
from upholster.core.pipeline.stage import Changes, Context, Picture, Stage, covered

Plane = NDArray[np.float32]

#: How far beyond the joined ground its soft edge goes, in pixels of the plate.
_EDGE = 3.0


class Region(Settings):
    """Taking out only what is joined to the measured places."""

    joined: bool = Field(
        default=False,
        description="Only ground that touches a measured place (or, with none, the picture's rim) is taken out.",
    )
    reach: Track = track(0.5, 0.01, 1.0, step=0.01, doc="Coverage up to which the ground goes on.")


def _run(picture: Picture, context: Context, *, joined: bool, reach: float) -> Changes:
    raster = picture.raster
    places = [(*raster.place(s.x, s.y), raster.length(s.radius)) for s in context.screen.ground]
    return covered(keep_unjoined(picture.cover, places, reach=reach, step=raster.length(1.0)))


def _applies(context: Context, *, joined: bool, **others: Any) -> bool:
    return context.keyed and joined


STAGE = Stage("joined", ("cover",), _run, "region", Region, _applies)


def keep_unjoined(cover: Plane, places: Sequence[tuple[float, float, float]], *, reach: float, step: float) -> Plane:
    """Coverage made whole wherever the ground does not hang together with one of `places`.

    Parameters
    ----------
    cover : (h, w) float32
    places : of (x, y, radius)
        In pixels of this picture; with none, the ground is that which touches the picture's rim.
    reach : float
        Pixels with a coverage up to this belong to the ground.
    step : float
        Length of a pixel of the plate in this picture.

    Notes
    -----
    Connected components with eight neighbours (Rosenfeld and Pfaltz 1966, "Sequential operations in
    digital picture processing").
    """
    ground = (cover <= np.float32(reach)).astype(np.uint8)
    count, labels = cv2.connectedComponents(ground, connectivity=8)
    chosen = np.zeros(count, np.uint8)
    for patch in _patches(labels, places):
        chosen[patch.ravel()] = 1
    chosen[0] = 0
    joined = chosen[labels]
    side = 2 * max(1, round(_EDGE * step)) + 1
    joined = cv2.dilate(joined, np.ones((side, side), np.uint8))
    return np.where(joined > 0, cover, np.float32(1))


def _patches(labels: NDArray[np.int32], places: Sequence[tuple[float, float, float]]) -> list[NDArray[np.int32]]:
    if not places:
        return [labels[0], labels[-1], labels[:, 0], labels[:, -1]]
    return [
        labels[max(0, int(y - r)) : max(0, int(y + r) + 1), max(0, int(x - r)) : max(0, int(x + r) + 1)]
        for x, y, r in places
    ]
