"""A paper rooster that struts through a street fair: no screen, and stalls, bunting and people in its own colours."""

from collections.abc import Sequence
from functools import cache
from math import cos, pi, sin
from typing import Any

import cv2
import numpy as np

from upholster.demo.camera import Layer, Picture, Shot, film, polygon, strokes

WIDTH, HEIGHT, FRAMES = 1280, 720, 48
#: How far the drawn street reaches beyond the picture, to either side and above.
_BEYOND, _ABOVE = 160, 40
_RED, _CREAM, _BLUE = (0.70, 0.22, 0.17), (0.90, 0.83, 0.68), (0.22, 0.33, 0.52)
_OCHRE, _BROWN, _GREEN = (0.86, 0.62, 0.26), (0.36, 0.25, 0.17), (0.30, 0.42, 0.30)

Colour = tuple[float, float, float]
Places = Sequence[tuple[float, float]]


def place(t: float) -> tuple[float, float, float]:
    """Where the rooster's middle is at a time in frames, and how far it leans."""
    return 360 + 10.5 * t, 372 + 14 * abs(sin(t * 0.26)), 0.09 * sin(t * 0.26)


def shot(frame: int) -> Shot:
    """Frame `frame` of the plate with its truth."""
    exposures = [_rooster(frame + 0.4 * k / 3) for k in range(3)]
    grain = np.random.default_rng(7000 + frame)
    return film(exposures, _street(frame), grain, blur=0.8, spill=0.0, noise=0.006)


def _rooster(t: float) -> Layer:
    layer = Layer(WIDTH, HEIGHT)
    x, y, lean = place(t)
    turn = np.array([[cos(lean), sin(lean)], [-sin(lean), cos(lean)]], np.float32)

    def lay(colour: Colour, points: Places, shade: float = 1.0) -> None:
        placed = np.array(points, np.float32) @ turn + np.array((x, y), np.float32)
        layer.lay(np.array(colour, np.float32) * np.float32(shade), polygon(WIDTH, HEIGHT, placed))

    step = t * 0.26
    for side, shade in ((0.0, 0.72), (pi, 1.0)):
        knee = (14 * sin(step + side), 150.0)
        foot = (44 * sin(step + side), 236 - 26 * max(0.0, cos(step + side)))
        for a, b, wide in (((0.0, 84.0), knee, 9.0), (knee, foot, 7.0)):
            lay(_OCHRE, [(a[0] - wide, a[1]), (a[0] + wide, a[1]), (b[0] + wide, b[1]), (b[0] - wide, b[1])], shade)
        lay(_OCHRE, [(foot[0] - 12, foot[1] + 10), (foot[0] + 36, foot[1] + 10), (foot[0] + 4, foot[1] - 8)], shade)
    for k, colour in enumerate((_BLUE, _GREEN, _RED, _CREAM, _BLUE)):
        sway = 0.14 * sin(step * 2 + 0.6 * k)
        angle = 2.75 + 0.28 * k + sway
        tip = (-60 + 190 * cos(angle), -20 - 150 * abs(sin(angle)) - 8 * k)
        lay(colour, [(-40, 40 - 14 * k), tip, (tip[0] + 30, tip[1] + 44), (-30, 70 - 10 * k)], 1 - 0.05 * k)
    body = [(126 * cos(a) - 4, 86 * sin(a) + 8) for a in np.linspace(0, 2 * pi, 36, endpoint=False)]
    lay(_RED, body)
    for k in range(3):
        around = np.linspace(0.25 * pi, 0.75 * pi, 12)
        arc = [((104 - 30 * k) * cos(a) - 8, (72 - 20 * k) * sin(a) + 10) for a in around]
        lay(_CREAM if k % 2 else _OCHRE, [*arc, *((px * 0.9, py - 12) for px, py in reversed(arc))])
    lay(_RED, [(70, -20), (112, -150), (176, -150), (128, 20)], 1.08)
    head = [(140 + 46 * cos(a), -168 + 42 * sin(a)) for a in np.linspace(0, 2 * pi, 24, endpoint=False)]
    lay(_CREAM, head)
    lay(_OCHRE, [(182, -178), (226, -160), (182, -148)])
    for k in range(3):
        top = 118 + 24 * k
        lay(_RED, [(top - 15, -198), (top - 4 + 5 * sin(step * 2 + k), -240), (top + 17, -200)], 1.1)
    lay(_BROWN, [(150 + 6 * cos(a), -178 + 6 * sin(a)) for a in np.linspace(0, 2 * pi, 10, endpoint=False)])
    flap = 46 * sin(step * 2)
    lay(_BLUE, [(40, -20), (-96, -10 - flap), (-112, 32 - flap * 0.6), (-60, 48), (36, 46)], 1.12)
    for k in range(3):
        feather = [(20 - 34 * k, 4), (-56 - 26 * k, 4 - flap * 0.7), (-52 - 24 * k, 20 - flap * 0.6), (24 - 30 * k, 22)]
        lay(_CREAM, feather, 0.95)
    return layer


@cache
def _grain() -> Picture:
    """Unevenness of painted wood, cloth and stone, about 0, over more than the picture."""
    rng = np.random.default_rng(23)
    shape = HEIGHT + 2 * _ABOVE, WIDTH + 2 * _BEYOND
    whole = np.zeros(shape, np.float32)
    for size in (1.5, 5, 14, 60):
        whole += cv2.GaussianBlur(rng.normal(0, 1, shape).astype(np.float32), (0, 0), size) * size
    return ((whole - whole.mean()) / whole.std())[..., None]


class _Street(Layer):
    """What is drawn of the street, wider than the picture, with chance of its own."""

    def __init__(self) -> None:
        super().__init__(WIDTH + 2 * _BEYOND, HEIGHT + 2 * _ABOVE)
        self.height, self.width = self.alpha.shape
        self.chance = np.random.default_rng(11)

    def shape(self, colour: Colour, points: Places, low: float = 1.0, high: float = 1.0) -> None:
        """A polygon, its colour lighter or darker by chance."""
        shade = np.float32(self.chance.uniform(low, high) if low < high else low)
        cover = polygon(self.width, self.height, np.array(points, np.float32))
        self.lay(np.array(colour, np.float32) * shade, cover)

    def box(self, colour: Colour, x: float, y: float, w: float, h: float, low: float = 1.0, high: float = 1.0) -> None:
        self.shape(colour, [(x, y), (x + w, y), (x + w, y + h), (x, y + h)], low, high)


def _fronts(street: _Street) -> None:
    fronts = ((0.62, 0.53, 0.42), (0.55, 0.38, 0.30), (0.58, 0.60, 0.56), (0.68, 0.58, 0.40))
    for k, x in enumerate(range(0, street.width, 230)):
        street.box(fronts[k % 4], x, 0, 230, 520, 0.9)
        for across in (36, 136):
            for down in (60, 210):
                street.box(_BROWN, x + across, down, 62, 92, 0.7)
                street.box((0.44, 0.50, 0.54), x + across + 6, down + 6, 50, 80, 0.6, 1.1)


def _cobbles(street: _Street) -> None:
    street.box((0.47, 0.44, 0.40), 0, 500, street.width, street.height - 500)
    for row, y in enumerate(np.geomspace(520, street.height, 14).tolist()):
        for x in range(-40 + 22 * (row % 2), street.width, 34 + 4 * row):
            turns = np.linspace(0, 2 * pi, 10).tolist()
            stone = [(x + (14 + 2 * row) * cos(a), y + (6 + row) * sin(a)) for a in turns]
            street.shape((0.52, 0.48, 0.43), stone, 0.78, 1.15)


def _stalls(street: _Street) -> None:
    for k, x in enumerate(range(40, street.width, 330)):
        street.box(_BROWN, x + 6, 330, 10, 210)
        street.box(_BROWN, x + 254, 330, 10, 210)
        street.box(_BROWN, x, 430, 270, 100, 0.85)
        for goods in range(9):
            colour = (_RED, _OCHRE, _GREEN, _CREAM, _BLUE)[int(street.chance.integers(5))]
            middle, size = x + 20 + 29 * goods, float(street.chance.uniform(11, 17))
            turns = np.linspace(0, 2 * pi, 14).tolist()
            street.shape(colour, [(middle + size * cos(a), 422 + size * sin(a)) for a in turns], 0.75, 1.05)
        for stripe in range(9):
            colour = (_RED, _BLUE, _GREEN)[k % 3] if stripe % 2 else _CREAM
            left = x - 14 + 33 * stripe
            street.shape(colour, [(left + 14, 262), (left + 42, 262), (left + 33, 340), (left, 340)], 0.92)
            turns = np.linspace(0, pi, 10).tolist()
            street.shape(colour, [(left + 16.5 + 16.5 * cos(a), 340 + 12 * sin(a)) for a in turns], 0.86)


def _bunting(street: _Street) -> None:
    for line, drop in ((44, 70), (150, 46)):
        for k, x in enumerate(range(0, street.width, 44)):
            y = line + drop * (1 - ((x % 420) / 210 - 1) ** 2)
            colour = (_RED, _CREAM, _BLUE, _OCHRE)[(k + line) % 4]
            street.shape(colour, [(x, y), (x + 34, y + 2), (x + 17, y + 44)], 0.85, 1.05)


@cache
def _scenery() -> Picture:
    street = _Street()
    for draw in (_fronts, _cobbles, _stalls, _bunting):
        draw(street)
    return cv2.GaussianBlur(np.clip(street.rgb * (1 + 0.07 * _grain()), 0, 1), (0, 0), 1.1)


def _people(street: Picture, frame: int) -> None:
    """Two who walk past behind, one each way, laid into the street."""
    layer = Layer(street.shape[1], street.shape[0])
    for start, pace, coat, tall in ((1180.0, -5.5, _BLUE, 1.0), (250.0, 3.2, _RED, 0.92)):
        x, step = start + pace * frame, frame * 0.32
        for side in (0.0, pi):
            foot = x + 26 * sin(step + side)
            leg = np.array([[x, 470], [foot, 596]], np.float32)
            layer.lay(np.array(_BROWN, np.float32), strokes(street.shape[1], street.shape[0], [leg], 17))
        trunk = [(x - 30, 490), (x - 24, 360 / tall), (x + 24, 360 / tall), (x + 30, 490)]
        head = [(x + 19 * cos(a), 330 / tall + 23 * sin(a)) for a in np.linspace(0, 2 * pi, 18)]
        for colour, points in ((coat, trunk), ((0.72, 0.54, 0.42), head)):
            cover = polygon(street.shape[1], street.shape[0], np.array(points, np.float32))
            layer.lay(np.array(colour, np.float32) * np.float32(0.85), cover)
    cover = cv2.GaussianBlur(layer.alpha, (0, 0), 1.3)[..., None]
    street[:] = street * (1 - cover) + cv2.GaussianBlur(layer.rgb, (0, 0), 1.3)


def _street(frame: int) -> Picture:
    street = _scenery().copy()
    _people(street, frame)
    # The camera goes along, from the hand.
    x = _BEYOND - 60 + 2.4 * frame + 2.5 * sin(frame * 0.31)
    y = _ABOVE + 2.5 * sin(frame * 0.23 + 1)
    return cv2.warpAffine(street, np.array([[1, 0, -x], [0, 1, -y]], np.float32), (WIDTH, HEIGHT))


def brushed() -> list[dict[str, Any]]:
    """Strokes as a recipe has them: over the rooster and around it on the first frame, and where the next ones drift.

    Somebody in a red coat is taken for a part of it on frame 12, and a feather and a foot are lost.
    """

    def line(kind: str, radius: float, *places: tuple[float, float], frame: int = 0) -> dict[str, Any]:
        x, y, _ = place(frame)
        return {"frame": frame, "kind": kind, "radius": radius, "points": [[x + a, y + b] for a, b in places]}

    return [
        line("keep", 16, (-90, 10), (-30, 44), (60, 30), (100, -60), (140, -160)),
        line("keep", 5, (-80, 0), (-225, -18)),
        line("keep", 5, (-80, -20), (-215, -62)),
        line("keep", 4, (-80, -30), (-185, -100)),
        line("keep", 4, (-80, -40), (-170, -150)),
        line("keep", 5, (118, -212), (166, -212)),
        line("keep", 5, (196, -164), (212, -162)),
        line("keep", 4, (0, 100), (0, 225), (24, 240)),
        line("keep", 3, (14, 212), (30, 214)),
        line("drop", 8, (-130, -170), (-60, -110), (40, -110), (84, -200)),
        line("drop", 8, (-222, 40), (-190, 40)),
        line("drop", 6, (196, -130), (160, 10)),
        line("drop", 12, (-300, -200), (60, -270), (250, -240), (262, -60), (170, 60), (110, 150), (120, 260)),
        line("drop", 12, (-300, -200), (-310, 0), (-170, 90), (-90, 150), (-90, 260)),
        line("drop", 10, (-324, -12), (-324, 60), frame=12),
        line("drop", 8, (-323, -62), (-323, -70), frame=12),
        line("keep", 4, (-110, -50), (-205, -120), frame=12),
        line("keep", 4, (-96, -54), (-170, -152), frame=12),
        line("keep", 4, (2, 212), (6, 234), frame=12),
    ]
