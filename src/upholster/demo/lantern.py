"""A brass lantern with green glass and a live flame, swinging before a blue screen."""

from functools import cache
from math import cos, pi, sin

import cv2
import numpy as np

from upholster.demo.camera import Layer, Picture, Shot, film, polygon, strokes, uneven_light

WIDTH, HEIGHT, FRAMES = 1280, 720, 96
_SCREEN = np.array([0.07, 0.20, 0.66], np.float32)
_BRASS, _DARK, _GLINT = (0.66, 0.47, 0.17), (0.26, 0.17, 0.06), (1.0, 0.88, 0.56)
_GLASS = np.array([0.20, 0.62, 0.34], np.float32)
#: The sprite's sides, and where its ring hangs in it.
_WIDE, _TALL, _RING = 360, 620, (180, 34)


def shot(frame: int) -> Shot:
    """Frame `frame` of the plate with its truth; it swings twice in all frames."""
    exposures = [_hung(frame + 0.45 * k / 3, frame) for k in range(3)]
    light = uneven_light(WIDTH, HEIGHT, folds=0.03, vignette=0.42)
    grain = np.random.default_rng(6000 + frame)
    return film(exposures, _SCREEN * light, grain, blur=0.8, spill=0.10, noise=0.009)


def _hung(t: float, frame: int) -> Layer:
    layer = Layer(WIDTH, HEIGHT)
    turn = 0.085 * sin(4 * pi * t / FRAMES)
    c, s = cos(turn), sin(turn)
    x, y = 640.0, 22.0
    cord = np.array([[x, -10], [x, y + 6]], np.float32)
    layer.lay(np.array(_DARK, np.float32), strokes(WIDTH, HEIGHT, [cord], 4))
    matrix = np.array([[c, -s, x - c * _RING[0] + s * _RING[1]], [s, c, y - s * _RING[0] - c * _RING[1]]], np.float32)
    layer.lay_sprite(_lantern(frame), matrix)
    return layer


@cache
def _lantern(frame: int) -> Picture:
    """The lantern by itself, premultiplied RGBA: glass that is half there, a flame behind it, brass around it."""
    layer = Layer(_WIDE, _TALL)
    y, x = np.mgrid[0:_TALL, 0:_WIDE].astype(np.float32)
    body = _shape((86, 196), (274, 196), (300, 500), (60, 500))
    flame, glow = _flame(frame, x, y)
    # Glass: greener where it is thick at the sides, lit from within.
    thick = 0.66 + 0.22 * np.abs(x - 180) / 120
    lit = _GLASS * (0.42 + 1.3 * glow[..., None]) + np.array([0.75, 0.62, 0.20], np.float32) * glow[..., None] * 0.7
    layer.lay(np.clip(lit, 0, 1), body * np.clip(thick + 0.5 * glow, 0, 0.97))
    layer.lay(np.array([1.0, 0.93, 0.66], np.float32), flame)
    for left in (104, 236):
        glint = _shape((left, 214), (left + 12, 214), (left + 4, 480), (left - 10, 480))
        layer.lay(np.array([0.86, 1.0, 0.90], np.float32), cv2.GaussianBlur(glint, (0, 0), 3) * 0.34 * body)
    for corners in (
        [(82, 190), (98, 190), (74, 506), (56, 506)], [(262, 190), (278, 190), (304, 506), (286, 506)],
        [(172, 196), (188, 196), (190, 500), (170, 500)],
        [(50, 494), (310, 494), (322, 530), (38, 530)], [(70, 530), (290, 530), (304, 562), (56, 562)],
        [(74, 176), (286, 176), (282, 202), (78, 202)], [(108, 118), (252, 118), (284, 178), (76, 178)],
        [(146, 84), (214, 84), (240, 120), (120, 120)],
    ):  # fmt: skip
        _brass(layer, corners, x)
    ring = np.zeros((_TALL, _WIDE), np.float32)
    cv2.ellipse(ring, (180, 58), (26, 30), 0, 0, 360, 1.0, 8, cv2.LINE_AA)
    layer.lay(np.array(_BRASS, np.float32) * (0.7 + 0.6 * np.clip((200 - x) / 60, 0, 1))[..., None], ring)
    for k in range(7):
        hole = np.zeros((_TALL, _WIDE), np.float32)
        cv2.circle(hole, (104 + 25 * k, 152), 5, 0.9, -1, cv2.LINE_AA)
        layer.lay(np.array([0.88, 0.70, 0.32], np.float32), hole)
    return np.dstack([layer.rgb, layer.alpha])


def _flame(frame: int, x: Picture, y: Picture) -> tuple[Picture, Picture]:
    """The flame's own coverage, and the light it gives around itself, 0..1."""
    t = 2 * pi * frame / FRAMES
    lean = 7 * sin(5 * t) + 4 * sin(11 * t + 1)
    tall = 66 + 9 * sin(7 * t) + 5 * sin(13 * t + 2)
    up = np.clip((452 - y) / tall, 0, 1.2)
    half = 21 * np.sin(pi * np.clip(up, 0, 1) ** 0.65) * (1 - 0.35 * up)
    away = np.abs(x - 180 - lean * up**2)
    inside = np.clip((half - away) / 3 + 0.5, 0, 1) * ((y < 454) & (up < 1))
    flame = cv2.GaussianBlur(inside.astype(np.float32), (0, 0), 2.2)
    power = 0.86 + 0.08 * sin(5 * t) + 0.06 * sin(9 * t + 2)
    glow = power * np.exp(-(((x - 180 - lean * 0.5) / 96) ** 2 + ((y - 410) / 120) ** 2))
    return flame, glow.astype(np.float32)


def _shape(*corners: tuple[float, float]) -> Picture:
    return polygon(_WIDE, _TALL, np.array(corners, np.float32))


def _brass(layer: Layer, corners: list[tuple[int, int]], x: Picture) -> None:
    """A piece of turned brass: dark at its sides, with a bright streak left of its middle."""
    cover = _shape(*corners)
    left, right = min(p[0] for p in corners), max(p[0] for p in corners)
    across = (x - left) / max(1, right - left)
    round_ = np.clip(np.sin(pi * np.clip(across, 0.02, 0.98)), 0, 1)[..., None]
    streak = (
        np.exp(-(((across - 0.34) / 0.09) ** 2))[..., None] + 0.35 * np.exp(-(((across - 0.82) / 0.05) ** 2))[..., None]
    )
    colour = np.array(_DARK, np.float32) * (1 - round_) + np.array(_BRASS, np.float32) * round_
    layer.lay(np.clip(colour + streak * np.array(_GLINT, np.float32) * 0.55, 0, 1).astype(np.float32), cover)
