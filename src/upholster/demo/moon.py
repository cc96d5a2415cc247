"""A crescent moon of layered paper on threads, before an orange wall."""

from functools import cache
from math import cos, pi, sin

import cv2
import numpy as np

from upholster.demo.camera import Layer, Picture, Shot, film, polygon, soft, strokes, uneven_light

WIDTH, HEIGHT, FRAMES = 1280, 720, 96
_SIDE, _RADIUS = 560, 236
_PAPER, _BACK = (0.93, 0.89, 0.78), (0.80, 0.72, 0.58)
_INK, _BLUSH = (0.33, 0.26, 0.24), (0.82, 0.47, 0.42)
_WALL = np.array([0.88, 0.44, 0.11], np.float32)


def shot(frame: int) -> Shot:
    """Frame `frame` of the plate with its truth; it swings once in all frames."""
    exposures = [_moon(frame + 0.45 * k / 3) for k in range(3)]
    light = uneven_light(WIDTH, HEIGHT, folds=0.012, vignette=0.34)
    grain = np.random.default_rng(4000 + frame)
    return film(exposures, _WALL * light, grain, blur=0.9, spill=0.10, noise=0.008)


def _moon(t: float) -> Layer:
    layer = Layer(WIDTH, HEIGHT)
    turn = 0.10 * sin(2 * pi * t / FRAMES)
    nod = 0.05 * sin(4 * pi * t / FRAMES + 1)
    # It hangs from above the picture.
    x, y = 640 + 620 * sin(turn), -250 + 620 * cos(turn)
    c, s = cos(turn + nod), sin(turn + nod)
    for side in (-110, 24):
        tip = np.array([x + c * side + s * 205, y + s * side - c * 205])
        thread = np.array([[640 + 0.4 * side, -20], tip], np.float32)
        layer.lay(np.array((0.42, 0.34, 0.27), np.float32), strokes(WIDTH, HEIGHT, [thread], 2))
    half = _SIDE / 2
    matrix = np.array([[c, -s, x - c * half + s * half], [s, c, y - s * half - c * half]], np.float32)
    layer.lay_sprite(_paper(), matrix)
    return layer


@cache
def _paper() -> Picture:
    """The moon itself, premultiplied RGBA: three sheets, each a little smaller, with shadows between them."""
    layer = Layer(_SIDE, _SIDE)
    rng = np.random.default_rng(12)
    fibre = cv2.GaussianBlur(rng.standard_normal((_SIDE, _SIDE), np.float32), (0, 0), 1.2) * 0.5
    fibre += cv2.GaussianBlur(rng.standard_normal((_SIDE, _SIDE), np.float32), (0, 0), 6) * 1.6
    y, x = np.mgrid[0:_SIDE, 0:_SIDE].astype(np.float32) - _SIDE / 2
    lamp = 1.04 - 0.12 * (x + y) / _SIDE
    for grown, colour in ((14, _BACK), (5, (0.87, 0.81, 0.68)), (-4, _PAPER)):
        shape = _crescent(grown)
        shadow = np.clip(soft(shape, 9) * 0.55, 0, 1)
        if grown < 14:
            layer.rgb *= (1 - 0.45 * np.roll(shadow, (7, 5), (0, 1)) * layer.alpha)[..., None]
        sheet = np.array(colour, np.float32) * (lamp * (1 + 0.035 * fibre))[..., None]
        # A cut edge catches the light above and lies in its own shadow below.
        edge = np.roll(shape, (2, 2), (0, 1)) - np.roll(shape, (-2, -2), (0, 1))
        layer.lay(np.clip(sheet - 0.16 * cv2.GaussianBlur(edge, (0, 0), 1.4)[..., None], 0, 1), shape)
    _face(layer)
    return np.dstack([layer.rgb, layer.alpha])


def _crescent(grown: float) -> Picture:
    """Coverage of the crescent, larger all around by `grown` pixels."""
    middle = _SIDE / 2
    turns = np.linspace(0, 2 * pi, 240)
    outer = middle + (_RADIUS + grown) * np.stack([np.cos(turns), np.sin(turns)], 1)
    inner = middle + (_RADIUS * 0.90 - grown) * np.stack([np.cos(turns), np.sin(turns)], 1) + (150, -34)
    inside = polygon(_SIDE, _SIDE, inner.astype(np.float32))
    return polygon(_SIDE, _SIDE, outer.astype(np.float32)) * (1 - inside)


def _face(layer: Layer) -> None:
    """A sleeping face, in ink: a lid with lashes, a brow, a smile and a cheek."""
    turns = np.linspace(0.15 * pi, 0.85 * pi, 20)
    lid = np.stack([128 + 34 * np.cos(turns), 252 + 22 * np.sin(turns)], 1)
    lashes = [np.stack([lid[k], lid[k] + (0.25 * (lid[k][0] - 128), 13)]) for k in (3, 7, 10, 13, 16)]
    brow = np.stack([126 + 42 * np.cos(turns + pi), 222 + 20 * np.sin(turns + pi)], 1)
    smile = np.stack([178 + 36 * np.cos(turns), 366 + 20 * np.sin(turns)], 1)
    for lines, width in (([lid], 6), (lashes, 3), ([brow], 4), ([smile], 6)):
        cover = strokes(_SIDE, _SIDE, [line.astype(np.float32) for line in lines], width)
        layer.lay(np.array(_INK, np.float32), cover * 0.92)
    cheek = np.zeros((_SIDE, _SIDE), np.float32)
    cv2.circle(cheek, (112, 330), 26, 1.0, -1, cv2.LINE_AA)
    layer.lay(np.array(_BLUSH, np.float32), cv2.GaussianBlur(cheek, (0, 0), 9) * 0.5 * layer.alpha)
