"""Screens as they hang in a room: lamps, folds, marks, seams, two cloths; wider than the picture."""

from typing import NamedTuple

import cv2
import numpy as np
from bench.drawn import Draw, photograph
from bench.quality.plates import HEIGHT, WIDTH

from upholster.demo.camera import Picture, uneven_light

#: How much wider than the picture a set is on every side, for cameras that move.
MARGIN = 160

GREENS = np.array([[0.15, 0.60, 0.22], [0.22, 0.66, 0.28], [0.10, 0.48, 0.20], [0.28, 0.72, 0.20]], np.float32)
BLUES = np.array([[0.12, 0.22, 0.62], [0.10, 0.30, 0.70], [0.16, 0.20, 0.50]], np.float32)


class Wall(NamedTuple):
    """A set, and where it is screen.

    Attributes
    ----------
    rgb : (h, w, 3) float32
    screen : (h, w) float32
        One where the screen hangs.
    """

    rgb: Picture
    screen: Picture


def colour(draw: Draw, blue: float = 0.25) -> Picture:
    """A screen's nominal colour, seldom quite the same."""
    nominal = draw.choice(BLUES) if draw.random() < blue else draw.choice(GREENS)
    return (nominal * draw.uniform(0.85, 1.15) * draw.uniform(0.93, 1.07, 3)).astype(np.float32)


def _flat(paint: Picture) -> Picture:
    return np.broadcast_to(paint, (HEIGHT + 2 * MARGIN, WIDTH + 2 * MARGIN, 3)).astype(np.float32)


def _everywhere(rgb: Picture) -> Wall:
    return Wall(rgb.clip(0, 1).astype(np.float32), np.ones(rgb.shape[:2], np.float32))


def even(draw: Draw, paint: Picture) -> Wall:
    light = uneven_light(WIDTH + 2 * MARGIN, HEIGHT + 2 * MARGIN, folds=0.0, vignette=draw.uniform(0, 0.15))
    return _everywhere(_flat(paint) * (0.3 + 0.7 * light))


def hung(draw: Draw, paint: Picture) -> Wall:
    """A cloth with folds and hot spots."""
    light = uneven_light(
        WIDTH + 2 * MARGIN, HEIGHT + 2 * MARGIN, folds=draw.uniform(0.03, 0.1), vignette=draw.uniform(0.2, 0.6)
    )
    light = light[:, ::-1] if draw.random() < 0.5 else light
    warm = 1 + draw.uniform(-0.06, 0.06, 3) * np.linspace(-1, 1, light.shape[1])[None, :, None]
    return _everywhere(_flat(paint) * light * warm)


def marked(draw: Draw, paint: Picture) -> Wall:
    """Folds, crosses of tape and a seam: what a camera track needs."""
    rgb = hung(draw, paint).rgb.copy()
    tape = (paint * draw.uniform(1.2, 1.4)).clip(0, 1) if draw.random() < 0.6 else draw.uniform(0.3, 0.9, 3)
    pitch = draw.uniform(130, 210)
    for y in np.arange(60, rgb.shape[0], pitch):
        for x in np.arange(60, rgb.shape[1], pitch):
            at = int(x + draw.uniform(-20, 20)), int(y + draw.uniform(-20, 20))
            long, wide = int(draw.integers(6, 12)), int(draw.integers(2, 5))
            for dx, dy in ((long, 0), (0, long)):
                ends = (at[0] - dx, at[1] - dy), (at[0] + dx, at[1] + dy)
                cv2.line(rgb, *ends, tuple(map(float, tape)), wide, cv2.LINE_AA)
    seam = int(draw.integers(MARGIN, rgb.shape[1] - MARGIN))
    rgb[:, seam : seam + 2] *= 0.8
    return _everywhere(cv2.GaussianBlur(rgb, (0, 0), 0.8))


def two_greens(draw: Draw, paint: Picture) -> Wall:
    """A painted floor and a hung wall, or a cloth with patches."""
    rgb = hung(draw, paint).rgb.copy()
    second = (paint * draw.uniform(0.65, 1.3) * draw.uniform(0.85, 1.15, 3)).clip(0, 1)
    scale = (second / paint).astype(np.float32)
    if draw.random() < 0.5:
        y = np.arange(rgb.shape[0], dtype=np.float32)[:, None, None]
        line = MARGIN + draw.uniform(0.55, 0.85) * HEIGHT
        rgb *= 1 + (scale - 1) / (1 + np.exp(-(y - line) / draw.uniform(1, 12)))
    else:
        for _ in range(int(draw.integers(2, 5))):
            x, y = int(draw.integers(0, WIDTH)), int(draw.integers(0, HEIGHT))
            rgb[y : y + int(draw.integers(150, 400)), x : x + int(draw.integers(150, 400))] *= scale
        rgb = cv2.GaussianBlur(rgb, (0, 0), 1.0)
    return _everywhere(rgb)


def small(draw: Draw, paint: Picture) -> Wall:
    """A screen on a stand, smaller than the picture, with the studio around it."""
    cloth = hung(draw, paint).rgb
    high, wide = cloth.shape[:2]
    room = photograph(draw, wide, high) * draw.uniform(0.25, 0.9)
    left, top = MARGIN + draw.uniform(0.06, 0.2) * WIDTH, MARGIN + draw.uniform(0.04, 0.12) * HEIGHT
    right, bottom = MARGIN + draw.uniform(0.8, 0.94) * WIDTH, MARGIN + draw.uniform(0.88, 0.97) * HEIGHT
    corners = np.array([[left, top], [right, top], [right, bottom], [left, bottom]]) + draw.uniform(-25, 25, (4, 2))
    mask = np.zeros((high, wide), np.uint8)
    cv2.fillPoly(mask, [np.round(corners * 16).astype(np.int32)], 255, cv2.LINE_AA, 4)
    screen = mask.astype(np.float32) / 255
    return Wall((cloth * screen[..., None] + room * (1 - screen)[..., None]).astype(np.float32), screen)


def drapes(draw: Draw) -> Wall:
    """Black drapes that are not quite black."""
    return _everywhere(_flat(draw.uniform(0.008, 0.03, 3).astype(np.float32)))


def white(draw: Draw) -> Wall:
    """A white or off-white wall, darker towards its corners."""
    paint = (np.full(3, draw.uniform(0.86, 0.96)) * draw.uniform(0.97, 1.0, 3)).astype(np.float32)
    light = uneven_light(WIDTH + 2 * MARGIN, HEIGHT + 2 * MARGIN, folds=0.0, vignette=draw.uniform(0, 0.2))
    return _everywhere(_flat(paint) * (0.8 + 0.2 * light / light.max()))
