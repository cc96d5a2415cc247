"""A marionette with thread hair and a gauze veil, waving before an unevenly lit green screen."""

from collections.abc import Callable
from functools import cache
from math import cos, pi, sin

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.demo.camera import Layer, Picture, Shot, film, polygon, soft, strokes, uneven_light

WIDTH, HEIGHT, FRAMES, RATE = 1280, 720, 96, 24
SHUTTER = 5

_WOOD = (0.72, 0.53, 0.36)
_DARK_WOOD = (0.45, 0.29, 0.18)
_CLOTH = (0.50, 0.13, 0.17)
_TRIM = (0.86, 0.74, 0.46)


def shot(frame: int, place: Callable[[Picture], Picture] = lambda screen: screen) -> Shot:
    """Frame `frame` of the plate with its truth; `place` gives what is behind the puppet, from the screen."""
    moments = [_puppet(frame + 0.5 * k / SHUTTER) for k in range(SHUTTER)]
    grain = np.random.default_rng(7000 + frame)
    shadow = soft(np.roll(moments[0].alpha, (22, 46), (0, 1)), 34)[..., None]
    return film(moments, place(_screen() * (1 - 0.20 * shadow)), grain, blur=0.75, spill=0.16, noise=0.011)


@cache
def _screen() -> Picture:
    light = uneven_light(WIDTH, HEIGHT, folds=0.045, vignette=0.32)
    wall = np.array([0.145, 0.60, 0.235], np.float32)
    floor = np.array([0.17, 0.66, 0.24], np.float32)
    y = np.linspace(0, 1, HEIGHT, dtype=np.float32)[:, None, None]
    blend = 1 / (1 + np.exp(-(y - 0.90) * 60))
    return ((wall * (1 - blend) + floor * blend) * light).astype(np.float32)


def _part(width: int, height: int, colour: tuple[float, float, float], mask: Picture, wood: bool) -> Picture:
    """A sprite with rounded shading from its outline, wood grain or woven cloth, premultiplied RGBA."""
    depth = cv2.GaussianBlur(mask, (0, 0), max(3.0, min(width, height) * 0.13))
    depth = depth + 0.7 * cv2.GaussianBlur(mask, (0, 0), 3)
    dx, dy = cv2.Sobel(depth, cv2.CV_32F, 1, 0), cv2.Sobel(depth, cv2.CV_32F, 0, 1)
    light = np.clip(0.80 + 2.2 * (dx * 0.75 + dy * 0.95), 0.34, 1.35)
    y, x = np.mgrid[0:height, 0:width].astype(np.float32)
    if wood:
        ring = np.sin(x * 0.55 + 3 * np.sin(y * 0.018) + 1.5 * np.sin(y * 0.06 + x * 0.02))
        texture = 1 + 0.055 * ring
    else:
        texture = 1 + 0.05 * np.sin(x * 1.57) * np.sin(y * 1.57) + 0.07 * np.sin(x * 0.12 + y * 0.01)
    rgb = np.array(colour, np.float32) * (light * texture)[..., None]
    return np.dstack([np.clip(rgb, 0, 1) * mask[..., None], mask]).astype(np.float32)


def _ellipse(width: int, height: int, centre: tuple[float, float], axes: tuple[float, float]) -> Picture:
    mask = np.zeros((height, width), np.uint8)
    at = (round(centre[0] * 16), round(centre[1] * 16))
    cv2.ellipse(mask, at, (round(axes[0] * 16), round(axes[1] * 16)), 0, 0, 360, 255, -1, cv2.LINE_AA, 4)
    return mask.astype(np.float32) / np.float32(255)


def _lay(sprite: Picture, mask: Picture, colour: tuple[float, float, float]) -> None:
    m = (mask * sprite[..., 3])[..., None]
    sprite[..., :3] = sprite[..., :3] * (1 - m) + np.array(colour, np.float32) * m


@cache
def _head() -> Picture:
    w, h = 150, 190
    head = _part(w, h, _WOOD, _ellipse(w, h, (75, 96), (58, 76)), True)
    for side in (-1, 1):
        _lay(head, _ellipse(w, h, (75 + side * 24, 88), (11, 8)), (0.93, 0.90, 0.83))
        _lay(head, _ellipse(w, h, (77 + side * 24, 89), (5, 6)), (0.10, 0.08, 0.09))
        _lay(
            head,
            cv2.GaussianBlur(_ellipse(w, h, (75 + side * 34, 118), (15, 11)), (0, 0), 5),
            (0.76, 0.36, 0.29),
        )
        brow = np.array([[75 + side * 13, 73], [75 + side * 25, 68], [75 + side * 37, 74]], np.float32)
        _lay(head, strokes(w, h, [brow], 3), _DARK_WOOD)
    _lay(head, _ellipse(w, h, (75, 106), (7, 11)), (0.80, 0.58, 0.40))
    _lay(head, _ellipse(w, h, (75, 138), (16, 5)), (0.55, 0.14, 0.14))
    _lay(head, strokes(w, h, [np.array([[42, 150], [75, 158], [108, 150]], np.float32)], 1), _DARK_WOOD)
    return head


@cache
def _limb(length: int, thick: int, dark: bool) -> Picture:
    w, h = thick + 12, length + 12
    outline = np.array(
        [
            [6, 10],
            [w / 2, 5],
            [w - 6, 10],
            [w - 9, h * 0.55],
            [w - 7, h - 9],
            [w / 2, h - 4],
            [7, h - 9],
            [9, h * 0.55],
        ],
        np.float32,
    )
    return _part(w, h, _DARK_WOOD if dark else _WOOD, polygon(w, h, outline), True)


@cache
def _hand() -> Picture:
    w, h = 52, 66
    mask = _ellipse(w, h, (26, 24), (14, 18))
    fingers = [np.array([[26 + k * 6, 30], [26 + k * 8, 58 - abs(k) * 3]], np.float32) for k in (-2, -1, 0, 1, 2)]
    return _part(w, h, _WOOD, np.maximum(mask, strokes(w, h, fingers, 5)), True)


@cache
def _dress() -> Picture:
    w, h = 260, 270
    t = np.linspace(0, 1, 40)
    hem = np.stack([28 + 204 * t, 246 + 7 * np.sin(t * 6 * pi)], 1)
    outline = np.concatenate([[[94, 8], [166, 8], [178, 60]], [[172, 110]], hem[::-1], [[88, 110], [82, 60]]])
    dress = _part(w, h, _CLOTH, polygon(w, h, outline.astype(np.float32)), False)
    _lay(dress, strokes(w, h, [(hem - (0, 14)).astype(np.float32)], 7), _TRIM)
    _lay(dress, strokes(w, h, [np.array([[82, 112], [176, 112]], np.float32)], 8), _TRIM)
    for y in (30, 52, 74, 94):
        _lay(dress, _ellipse(w, h, (130, y), (5, 5)), _TRIM)
    return dress


def _place(pivot: tuple[float, float], to: tuple[float, float], turn: float, size: float = 1.0) -> Picture:
    """Matrix that turns a sprite about `pivot` by `turn` radians and puts the pivot at `to`."""
    c, s = cos(turn) * size, sin(turn) * size
    return np.array(
        [[c, -s, to[0] - c * pivot[0] + s * pivot[1]], [s, c, to[1] - s * pivot[0] - c * pivot[1]]],
        np.float32,
    )


def _end(at: tuple[float, float], length: float, turn: float) -> tuple[float, float]:
    return at[0] - sin(turn) * length, at[1] + cos(turn) * length


def _puppet(moment: float) -> Layer:
    t = moment / RATE
    layer = Layer(WIDTH, HEIGHT)
    sway = 0.05 * sin(2 * pi * t / 2.0)
    x, y = 640 + 60 * sin(2 * pi * t / 4.0), 262 + 9 * sin(2 * pi * t / 1.0)
    neck = (x, y)
    head_turn = sway * 1.8 + 0.06 * sin(2 * pi * t / 1.3)
    crown = _end(neck, -150, head_turn)
    _strings(layer, crown, x)
    _veil(layer, crown, t)
    shoulders = [(neck[0] - 46, neck[1] + 24), (neck[0] + 46, neck[1] + 24)]
    hips = [(neck[0] - 30, neck[1] + 205), (neck[0] + 30, neck[1] + 205)]
    for side, hip in enumerate(hips):
        swing = sway * 2 + (0.10 if side else -0.10) + 0.20 * sin(2 * pi * t / 1.6 + side * pi)
        knee = _end(hip, 96, swing)
        layer.lay_sprite(_limb(104, 30, True), _place((21, 10), hip, swing))
        layer.lay_sprite(_limb(96, 26, False), _place((19, 10), knee, swing * 0.4))
        foot = _end(knee, 92, swing * 0.4)
        layer.lay_sprite(_limb(58, 26, True), _place((19, 10), foot, -1.25 if side else 1.25))
    _arm(layer, shoulders[0], 0.35 + 0.15 * sin(2 * pi * t / 2), 0.5)
    layer.lay_sprite(_dress(), _place((130, 10), (neck[0], neck[1] + 8), sway))
    wave = 2.35 + 0.50 * sin(2 * pi * t / 0.8)
    _arm(layer, shoulders[1], -wave, -wave - 0.55 * sin(2 * pi * t / 0.8 + 0.7))
    _hair(layer, crown, head_turn, t, back=True)
    layer.lay_sprite(_head(), _place((75, 172), (neck[0], neck[1] + 14), head_turn))
    _hair(layer, crown, head_turn, t, back=False)
    return layer


def _arm(layer: Layer, shoulder: tuple[float, float], upper: float, lower: float) -> None:
    elbow = _end(shoulder, 92, upper)
    wrist = _end(elbow, 84, lower)
    layer.lay_sprite(_limb(100, 28, False), _place((20, 10), shoulder, upper))
    layer.lay_sprite(_hand(), _place((26, 10), wrist, lower))
    layer.lay_sprite(_limb(92, 24, True), _place((18, 10), elbow, lower))


def _strings(layer: Layer, crown: tuple[float, float], x: float) -> None:
    lines = [
        np.array([[crown[0] + k * 22, crown[1] + 24], [x * 0.25 + 480 + k * 42, -10]], np.float32) for k in (-1, 1)
    ]
    layer.lay(np.array([0.16, 0.13, 0.12], np.float32), strokes(WIDTH, HEIGHT, lines) * 0.9)


def _hair(layer: Layer, crown: tuple[float, float], turn: float, t: float, *, back: bool) -> None:
    """Threads that hang from the crown; light strands lie over dark ones."""
    rng = np.random.default_rng(11 if back else 12)
    count = 150 if back else 44
    s = np.linspace(0, 1, 14)[:, None]
    lines: list[NDArray[np.float32]] = []
    for _ in range(count):
        side = rng.uniform(-1, 1) if back else rng.choice([-1, 1]) * rng.uniform(0.75, 1.0)
        length, curl, phase = rng.uniform(110, 235), rng.uniform(3, 13), rng.uniform(0, 6.3)
        flare = rng.uniform(0.8, 1.35) if back else rng.uniform(0.95, 1.15)
        root = np.array([crown[0] + side * 34, crown[1] + 16 + 20 * abs(side)])
        drop = np.hstack([side * 42 * flare * np.sqrt(s) + curl * np.sin(s * 9 + phase), length * s**1.15])
        swing = 13 * s**2 * np.sin(2 * pi * t / 1.6 + phase * 0.35 - s * 2.0)
        line = root + drop + np.hstack([swing - turn * 90 * s, np.zeros_like(s)])
        lines.append(line.astype(np.float32))
    if not back:
        lines += [_parting(crown, turn, k) for k in rng.uniform(-1, 1, 70)]
    rng.shuffle(lines)
    dark, light = lines[: int(count * 0.72)], lines[int(count * 0.72) :]
    layer.lay(np.array([0.30, 0.13, 0.07], np.float32), strokes(WIDTH, HEIGHT, dark) * 0.92)
    layer.lay(np.array([0.71, 0.42, 0.20], np.float32), strokes(WIDTH, HEIGHT, light) * 0.9)


def _parting(crown: tuple[float, float], turn: float, k: float) -> NDArray[np.float32]:
    """A thread combed from the middle of the crown over the side of the head."""
    s = np.linspace(0, 1, 9)
    side = np.sign(k) * (30 + 27 * abs(k))
    x = side * np.sin(s * pi / 2) ** (0.6 + 0.5 * abs(k))
    y = -2 + 8 * abs(k) + 62 * s**2.2 + 3 * np.sin(s * 5 + k * 40)
    return np.stack([crown[0] + x - turn * 40 * s, crown[1] + y], 1).astype(np.float32)


def _veil(layer: Layer, crown: tuple[float, float], t: float) -> None:
    """Gauze from the crown to the left: folds add up, so coverage varies within it."""
    s = np.linspace(0, 1, 30)
    flow = 18 * np.sin(2 * pi * t / 1.9 - s * 4) * s
    top = np.stack([crown[0] - 10 - 250 * s, crown[1] + 20 + 60 * s**1.5 + flow], 1)
    low = np.stack([crown[0] + 10 - 215 * s, crown[1] + 40 + 290 * s**0.8 + flow * 1.3], 1)
    mask = polygon(WIDTH, HEIGHT, np.concatenate([top, low[::-1]]).astype(np.float32))
    folds = np.zeros_like(mask)
    for k in np.linspace(0.12, 0.92, 8):
        line = top * (1 - k) + low * k + np.stack([0 * s, 9 * np.sin(s * 7 + k * 11 + 2 * pi * t / 2.3)], 1)
        folds += strokes(WIDTH, HEIGHT, [line.astype(np.float32)], 9)
    folds = cv2.GaussianBlur(folds, (0, 0), 7)
    cover = mask * np.clip(0.20 + 0.42 * folds, 0, 0.85)
    hem = strokes(WIDTH, HEIGHT, [low.astype(np.float32)], 2) * 0.5
    layer.lay(np.array([0.88, 0.85, 0.80], np.float32), np.maximum(cover, hem))
