"""A paper kite with a long tail before a cloudy sky: no screen at all, filmed from the hand."""

from functools import cache
from math import cos, pi, sin
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.demo.camera import Layer, Picture, Shot, film, polygon, strokes

WIDTH, HEIGHT, FRAMES = 1280, 720, 60
#: Corners of the kite about the crossing of its sticks, and colours of its four fields.
_CORNERS = np.array([(0, -120), (92, -28), (0, 150), (-92, -28)], np.float32)
_FIELDS = ((0.78, 0.24, 0.20), (0.93, 0.78, 0.42), (0.24, 0.36, 0.58), (0.90, 0.86, 0.78))
_STICK, _TAIL, _BOW = (0.32, 0.22, 0.13), (0.55, 0.20, 0.18), (0.93, 0.80, 0.55)


def place(t: float) -> tuple[float, float, float]:
    """Where the kite's sticks cross at a time in frames, and how far it is turned."""
    x = 560 + 150 * sin(t * 0.055) + 14 * sin(t * 0.31)
    y = 250 + 46 * sin(t * 0.083 + 1) + 9 * sin(t * 0.43)
    return x, y, 0.22 * sin(t * 0.09) + 0.05 * sin(t * 0.37)


def shot(frame: int) -> Shot:
    """Frame `frame` of the plate with its truth."""
    exposures = [_kite(frame + 0.4 * k / 3) for k in range(3)]
    grain = np.random.default_rng(9000 + frame)
    return film(exposures, _sky(frame), grain, blur=0.8, spill=0.0, noise=0.006)


def _kite(t: float) -> Layer:
    layer = Layer(WIDTH, HEIGHT)
    x, y, turn = place(t)
    c, s = cos(turn), sin(turn)
    corners = _CORNERS @ np.array([[c, s], [-s, c]], np.float32) + (x, y)
    tail = _tail(t, corners[2])
    layer.lay(np.array(_TAIL, np.float32), strokes(WIDTH, HEIGHT, [tail.astype(np.float32)], 3))
    for k in range(8, 60, 10):
        bow, way = tail[k], 0.5 * sin(t * 0.4 + k)
        for side in (-1, 1):
            angle = way + side * 0.5 + (0 if side > 0 else pi)
            tips = [bow, *(bow + 24 * np.array([cos(angle + d), sin(angle + d)]) for d in (-0.35, 0.35))]
            layer.lay(np.array(_BOW, np.float32), polygon(WIDTH, HEIGHT, np.array(tips, np.float32)))
    middle = np.array([x, y], np.float32) + np.array([s, -c], np.float32) * 28
    for k, colour in enumerate(_FIELDS):
        shade = 1 + 0.14 * sin(t * 0.21 + 1.4 * k)
        field = np.array([corners[k], corners[(k + 1) % 4], middle], np.float32)
        layer.lay(np.array(colour, np.float32) * np.float32(shade), polygon(WIDTH, HEIGHT, field))
    for a, b in ((0, 2), (1, 3)):
        layer.lay(np.array(_STICK, np.float32), strokes(WIDTH, HEIGHT, [corners[[a, b]]], 3))
    return layer


def _tail(t: float, end: Picture) -> NDArray[np.float64]:
    """Places along the tail, from the kite's lower end on: it hangs in the wind, and further down it follows later."""
    along = np.linspace(0, 1, 60)
    late = np.array([place(t - 9 * k)[0] for k in along])
    tail = np.stack([late + 26 * along * np.sin(8 * along - 0.35 * t) + 30 * along, end[1] + 330 * along], 1)
    tail[:, 0] += (end[0] - tail[0, 0]) * (1 - along)
    return tail


@cache
def _clouds() -> Picture:
    """Clouds over more than the picture, 0..1."""
    rng = np.random.default_rng(41)
    whole = np.zeros((HEIGHT + 200, WIDTH + 400), np.float32)
    for size in (8, 20, 48, 110):
        whole += cv2.GaussianBlur(rng.normal(0, 1, whole.shape).astype(np.float32), (0, 0), size) * size
    return np.clip((whole - whole.mean()) / whole.std() * 0.34 + 0.45, 0, 1)[..., None]


def _sky(frame: int) -> Picture:
    # Clouds drift, the hand shakes.
    x, y = 200 + 0.8 * frame + 3 * sin(frame * 0.29), 100 + 3 * sin(frame * 0.21 + 1)
    cloud = cv2.warpAffine(_clouds(), np.array([[1, 0, -x], [0, 1, -y]], np.float32), (WIDTH, HEIGHT))[..., None]
    low = np.linspace(0, 1, HEIGHT, dtype=np.float32)[:, None, None]
    blue = np.array([0.36, 0.52, 0.70], np.float32) * (1 - low) + np.array([0.66, 0.74, 0.79], np.float32) * low
    white = np.array([0.93, 0.92, 0.90], np.float32) - 0.18 * (1 - cloud)
    return (blue + (white - blue) * cloud**1.3).astype(np.float32)


def brushed() -> list[dict[str, Any]]:
    """Strokes on the first frame, as a recipe has them: over the kite and its tail, and around them."""
    x, y, turn = place(0)
    c, s = cos(turn), sin(turn)
    tail = _tail(0, np.array([x - 150 * s, y + 150 * c], np.float32))

    def line(kind: str, radius: float, *places: tuple[float, float]) -> dict[str, Any]:
        return {"frame": 0, "kind": kind, "radius": radius, "points": [[x + a, y + b] for a, b in places]}

    return [
        line("keep", 10, (-50, -28), (60, -30)),
        line("keep", 10, (0, -80), (4, 90)),
        {"frame": 0, "kind": "keep", "radius": 2, "points": np.round(tail[2::3], 1).tolist()},
        line("drop", 14, (-170, -180), (180, -180), (190, 60), (130, 200), (170, 460)),
        line("drop", 14, (-170, -180), (-190, 60), (-90, 220), (-110, 460)),
    ]
