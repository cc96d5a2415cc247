"""Subjects as rich as a real costume: photographs, greys, thin parts, colours near the screen's, gloss and spill.

Whatever is drawn is a stack of premultiplied planes; see `PLANES`.
"""

from collections.abc import Callable
from math import cos, pi, sin
from typing import NamedTuple

import cv2
import numpy as np
from bench.drawn import Draw, blob, capsule, photograph, placed
from bench.quality.plates import HEIGHT, WIDTH

from upholster.demo.camera import Picture

#: Premultiplied: colour, coverage, the share of the screen's light thrown on it, and how much of it is hair and glass.
RGB, ALPHA, SPILL, HAIR, GLASS = slice(0, 3), 3, 4, 5, 6
PLANES = 7


class Canvas:
    """What stands before the screen at one moment."""

    def __init__(self) -> None:
        self.planes = np.zeros((HEIGHT, WIDTH, PLANES), np.float32)

    def lay(self, sprite: Picture, matrix: Picture) -> None:
        """Lay a sprite of all planes through the 2x3 `matrix`."""
        h, w = sprite.shape[:2]
        corners = np.array([[0, 0, 1], [w, 0, 1], [0, h, 1], [w, h, 1]], np.float32) @ matrix.T
        (x0, y0), (x1, y1) = np.floor(corners.min(0)).astype(int) - 1, np.ceil(corners.max(0)).astype(int) + 2
        (x0, y0), (x1, y1) = (max(x0, 0), max(y0, 0)), (min(x1, WIDTH), min(y1, HEIGHT))
        if x1 <= x0 or y1 <= y0:
            return
        local = matrix.astype(np.float32).copy()
        local[:, 2] -= (x0, y0)
        size = x1 - x0, y1 - y0
        drawn = np.dstack(
            [cv2.warpAffine(np.ascontiguousarray(part), local, size) for part in (sprite[..., :4], sprite[..., 4:])]
        )
        here = self.planes[y0:y1, x0:x1]
        here *= 1 - drawn[..., ALPHA : ALPHA + 1]
        here += drawn

    def lay_strands(self, colour: Picture, cover: Picture, spill: float) -> None:
        """Lay strands of one colour: hair."""
        self.planes *= (1 - cover)[..., None]
        own = np.array([*colour, 1, spill, 1, 0], np.float32)
        self.planes += cover[..., None] * own


class Look(NamedTuple):
    """What a family's subjects are made of."""

    screen: Picture
    spill: float
    gloss: float = 0.5


#: A cloth this far towards the screen's colour, at its brightness, is not worn before it.
_LIKE = 0.5

Lay = Callable[[Canvas, float], None]


def _cloth(draw: Draw, look: Look, height: int, width: int) -> Picture:
    """A costume's own colour: a photograph, one colour, a grey, stripes, or a colour near the screen's."""
    kind = draw.choice(["photograph", "colour", "grey", "stripes", "near"], p=[0.3, 0.22, 0.26, 0.14, 0.08])
    match kind:
        case "photograph":
            return _dressed(photograph(draw, width, height), look)
        case "stripes":
            first, second = (_cloth_colour(draw, look) for _ in range(2))
            pitch, turn = draw.uniform(6, 40), draw.uniform(0, pi)
            y, x = np.mgrid[0:height, 0:width].astype(np.float32)
            wave = np.sin((x * cos(turn) + y * sin(turn)) * 2 * pi / pitch)
            share = np.clip(wave * pitch / 4 + 0.5, 0, 1)[..., None]
            return (first * share + second * (1 - share)).astype(np.float32)
        case "near":
            colour = _near(draw, look)
        case "grey":
            colour = _grey(draw)
        case _:
            colour = _bright(draw, look)
    weave = cv2.GaussianBlur(draw.standard_normal((height, width, 1)).astype(np.float32), (0, 0), 1.0) * 0.04
    return (np.broadcast_to(colour, (height, width, 3)) * (1 + weave.reshape(height, width, 1))).astype(np.float32)


def _grey(draw: Draw) -> Picture:
    return np.float32(draw.uniform(0.04, 0.92)) * (1 + draw.uniform(-0.06, 0.06, 3)).astype(np.float32)


def _cloth_colour(draw: Draw, look: Look) -> Picture:
    return _grey(draw) if draw.random() < 0.5 else _bright(draw, look)


def _bright(draw: Draw, look: Look) -> Picture:
    return _dressed(draw.uniform(0.04, 0.9, 3).astype(np.float32)[None, None], look)[0, 0]


def _dressed(colours: Picture, look: Look) -> Picture:
    """Colours ``(h, w, 3)`` as people dress before a screen: those of its own are swapped for others."""
    along, whole = _along(colours, look.screen), _along(look.screen, look.screen)
    weight = colours.mean(axis=2) / look.screen.mean()
    if float(np.quantile(along / np.maximum(weight, 0.3), 0.95)) < _LIKE * whole:
        return colours
    main = int(np.argmax(look.screen))
    # Its strongest primary changes places with the one the screen has least of.
    order = [0, 1, 2]
    least = int(np.argmin(look.screen))
    order[main], order[least] = least, main
    return np.ascontiguousarray(colours[..., order])


def _along(colours: Picture, screen: Picture) -> Picture:
    """How far colours go the screen's way from grey."""
    way = screen - screen.mean()
    return (colours - colours.mean(axis=-1, keepdims=True)) @ (way / np.linalg.norm(way))


def _near(draw: Draw, look: Look) -> Picture:
    """Olive, teal or dark relatives of the screen, half to four fifths of the way from it to grey."""
    grey = np.full(3, draw.uniform(0.15, 0.6))
    share = draw.uniform(0.5, 0.8)
    other = np.roll(look.screen, draw.choice([-1, 1])) * 0.5 + look.screen * 0.5
    return ((look.screen * 0.5 + other * 0.5) * (1 - share) * draw.uniform(0.5, 1.1) + grey * share).astype(np.float32)


def solid(draw: Draw, look: Look, cover: Picture, colour: Picture | None = None) -> Picture:
    """A rounded, shaded thing of a shape, with gloss and the screen's light where it turns away."""
    height, width = cover.shape
    colour = _cloth(draw, look, height, width) if colour is None else np.broadcast_to(colour, (height, width, 3))
    depth = cv2.distanceTransform((cover > 0.5).astype(np.uint8), cv2.DIST_L2, 5)
    round_to = max(2.0, float(depth.max()) * draw.uniform(0.35, 1.0))
    rise = np.clip(depth / round_to, 0, 1)
    facing = cv2.GaussianBlur(np.sqrt(np.clip(1 - (1 - rise) ** 2, 0, 1)), (0, 0), max(0.8, round_to / 20))
    gx, gy = (cv2.Sobel(cv2.GaussianBlur(depth, (0, 0), 2.0), cv2.CV_32F, a, b) for a, b in ((1, 0), (0, 1)))
    length = np.maximum(np.hypot(gx, gy), 1e-3)
    flat = np.sqrt(np.clip(1 - facing**2, 0, 1))
    nx, ny = -gx / length * flat, -gy / length * flat
    lamp = np.array([draw.uniform(-0.6, 0.6), draw.uniform(-0.8, -0.1), draw.uniform(0.5, 1.0)])
    lamp /= np.linalg.norm(lamp)
    toward = np.clip(nx * lamp[0] + ny * lamp[1] + facing * lamp[2], 0, 1)
    lit = colour * (draw.uniform(0.3, 0.55) + 0.65 * toward)[..., None]
    if draw.random() < look.gloss:
        shine = np.clip(toward, 0, 1) ** draw.uniform(20, 80) * draw.uniform(0.1, 0.7)
        lit = lit + shine[..., None].astype(np.float32)
    # Light of the screen comes from behind and from the floor: grazing sides and undersides take it.
    spill = (
        look.spill * (0.12 + 0.9 * np.clip(1 - facing, 0, 1) ** 1.5 + 0.25 * np.clip(ny, 0, 1)) * draw.uniform(0.5, 1.2)
    )
    nothing = np.zeros_like(cover)
    planes = np.dstack([lit.clip(0, 1), np.ones_like(cover), spill, nothing, nothing])
    return (planes * cover[..., None]).astype(np.float32)


def _bar(width: int, length: int) -> Picture:
    return np.pad(np.ones((length, width), np.float32), 2)


def _disc(size: int) -> Picture:
    mask = np.zeros((size, size), np.uint8)
    cv2.circle(mask, (size * 8, size * 8), int(size * 7.2), 255, -1, cv2.LINE_AA, 4)
    return mask.astype(np.float32) / 255


def figure(draw: Draw, look: Look, speed: float = 1.0) -> Lay:
    """A puppet in a costume: limbs, belts, cords, buttons, badges, and rods that stand out of it."""
    body = solid(draw, look, cv2.resize(blob(draw, 240, 0.12), (170, 250)))
    head = solid(draw, look, blob(draw, 120, 0.08))
    limbs = [solid(draw, look, capsule(int(draw.integers(22, 46)), int(draw.integers(110, 170)))) for _ in range(8)]
    worn: list[tuple[Picture, float, float, float]] = []
    for _ in range(int(draw.integers(8, 16))):
        kind = draw.choice(["belt", "button", "badge", "cord"])
        shape = {
            "belt": lambda: _bar(int(draw.integers(5, 16)), int(draw.integers(50, 150))),
            "button": lambda: _disc(int(draw.integers(8, 18))),
            "badge": lambda: blob(draw, int(draw.integers(26, 60)), 0.2),
            "cord": lambda: _bar(int(draw.integers(2, 5)), int(draw.integers(60, 190))),
        }[kind]()
        worn.append((solid(draw, look, shape), draw.uniform(-80, 80), draw.uniform(-110, 120), draw.uniform(0, pi)))
    rods = []
    for _ in range(int(draw.integers(2, 6))):
        bar = _bar(int(draw.integers(2, 7)), int(draw.integers(90, 220)))
        rods.append((solid(draw, look, bar), draw.uniform(-90, 90), draw.uniform(-180, 60), draw.uniform(0, 2 * pi)))
    x, y = draw.uniform(380, 580), draw.uniform(250, 290)
    dx, pace = draw.uniform(-3, 3) * speed, draw.uniform(0.15, 0.35)
    swing = draw.uniform(0.3, 0.9, 4)

    def limb(canvas: Canvas, upper: Picture, lower: Picture, at: tuple[float, float], turn: float, bend: float) -> None:
        long = upper.shape[0]
        canvas.lay(upper, placed(*at, turn, 1, (upper.shape[1] / 2, 12)))
        end = at[0] - sin(turn) * (long - 26), at[1] + cos(turn) * (long - 26)
        canvas.lay(lower, placed(*end, turn + bend, 1, (lower.shape[1] / 2, 12)))

    def lay(canvas: Canvas, t: float) -> None:
        cx, cy, tilt = x + dx * t, y + 3 * sin(pace * t), 0.08 * sin(pace * t * speed)
        wave = swing * sin(pace * t * speed + 0.5)
        for bar, px, py, turn in rods:
            canvas.lay(bar, placed(cx + px, cy + py, turn + tilt, 1, (bar.shape[1] / 2, 4)))
        limb(canvas, limbs[0], limbs[1], (cx - 60, cy - 80), 0.9 + wave[0], -0.6)
        limb(canvas, limbs[2], limbs[3], (cx - 36, cy + 95), 0.15 + 0.3 * wave[1], 0.2)
        limb(canvas, limbs[4], limbs[5], (cx + 36, cy + 95), -0.15 - 0.3 * wave[1], -0.2)
        canvas.lay(body, placed(cx, cy, tilt, 1, (85, 125)))
        canvas.lay(head, placed(cx, cy - 165, 2 * tilt, 1, (60, 60)))
        limb(canvas, limbs[6], limbs[7], (cx + 60, cy - 80), -0.9 - wave[2], 0.7)
        for thing, px, py, turn in worn:
            centre = thing.shape[1] / 2, thing.shape[0] / 2
            canvas.lay(thing, placed(cx + px, cy + py, turn + tilt, 1, centre))

    return lay


def haired(draw: Draw, look: Look) -> Lay:
    """A head and shoulders with hair of several colours, thick near the head and single strands beyond it."""
    shoulders = solid(draw, look, cv2.resize(blob(draw, 240, 0.08), (380, 300)))
    head = solid(draw, look, cv2.resize(blob(draw, 200, 0.05), (150, 190)), _skin(draw))
    count = int(draw.integers(350, 900))
    fair = draw.random() < 0.5
    base = np.array([0.72, 0.56, 0.36] if fair else [0.16, 0.1, 0.07]) * draw.uniform(0.6, 1.2)
    colours = [(base * draw.uniform(0.6, 1.4, 3)).clip(0.02, 0.95).astype(np.float32) for _ in range(4)]
    turns = draw.uniform(-pi, 0.15 * pi, count) if draw.random() < 0.5 else draw.uniform(-pi, pi, count)
    longs = draw.gamma(3.0, draw.uniform(15, 32), count).clip(15, 210)
    curls, rate = draw.normal(0, draw.uniform(4, 22), count), draw.uniform(2, 7)
    weights = draw.integers(1, 4, count)
    opacity = draw.uniform(0.55, 1.0)
    x, y, dx = draw.uniform(420, 540), draw.uniform(210, 260), draw.uniform(-2, 2)
    s = np.linspace(0, 1, 14)[:, None]

    def lay(canvas: Canvas, t: float) -> None:
        cx, cy, tilt = x + dx * t, y + 2 * sin(0.3 * t), 0.1 * sin(0.25 * t)
        canvas.lay(shoulders, placed(cx, cy + 260, 0, 1, (190, 150)))
        groups: list[list[Picture]] = [[] for _ in range(12)]
        for n, (turn, long, curl) in enumerate(zip(turns + tilt, longs, curls, strict=True)):
            out, side = np.array([cos(turn), sin(turn)]), np.array([-sin(turn), cos(turn)])
            root = np.array([cx, cy]) + out * (66, 86)
            bend = curl * np.sin(rate * s + 0.2 * t + 3 * turn) + np.array([0, 0.25 * long]) * s**2
            groups[(n % 4) * 3 + int(weights[n]) - 1].append((root + out * long * s + side * bend).astype(np.float32))
        for n, lines in enumerate(groups):
            if lines:
                # Drawn at twice the size: strands are half a pixel to one and a half wide.
                mask = np.zeros((2 * HEIGHT, 2 * WIDTH), np.uint8)
                fixed = [np.round(line * 32).astype(np.int32) for line in lines]
                cv2.polylines(mask, fixed, False, 255, n % 3 + 1, cv2.LINE_AA, 4)
                cover = cv2.resize(mask.astype(np.float32) / 255, (WIDTH, HEIGHT), interpolation=cv2.INTER_AREA)
                canvas.lay_strands(colours[n // 3], cover * np.float32(opacity), look.spill * 0.4)
        canvas.lay(head, placed(cx, cy, tilt, 1, (75, 95)))

    return lay


def _skin(draw: Draw) -> Picture:
    return (np.array([0.8, 0.58, 0.46]) * draw.uniform(0.35, 1.1)).clip(0, 1).astype(np.float32)


def crossing(draw: Draw, look: Look) -> Lay:
    """Many-coloured things that cross the picture fast and turn as they go."""
    things = []
    for _ in range(int(draw.integers(4, 8))):
        size = int(draw.integers(60, 170))
        long = draw.random() < 0.4
        cover = capsule(max(24, size // 4), size) if long else blob(draw, size, 0.3)
        sprite = solid(draw, look, cover)
        start, speed = draw.uniform((0, 80), (960, 460)), draw.uniform(14, 60) * draw.choice([-1, 1])
        things.append((sprite, start, speed, draw.uniform(-0.5, 0.5) * speed, draw.uniform(-0.35, 0.35)))

    def lay(canvas: Canvas, t: float) -> None:
        for sprite, (x, y), dx, dy, turn in things:
            place = (x + dx * (t - 4)) % 1160 - 100, (y + dy * (t - 4)) % 740 - 100
            canvas.lay(sprite, placed(*place, turn * t, 1, (sprite.shape[1] / 2, sprite.shape[0] / 2)))

    return lay


def spinning(draw: Draw, look: Look) -> Lay:
    """A wheel of spokes and sails of many colours, turning on a stand."""
    count, reach = int(draw.integers(3, 7)), int(draw.integers(120, 200))
    sails = [solid(draw, look, capsule(int(draw.integers(24, 60)), reach)) for _ in range(count)]
    tips = [solid(draw, look, blob(draw, int(draw.integers(40, 90)), 0.2)) for _ in range(count)]
    stand = solid(draw, look, _bar(int(draw.integers(18, 50)), 330))
    x, y, rate = draw.uniform(380, 580), draw.uniform(210, 270), draw.uniform(0.08, 0.4) * draw.choice([-1, 1])

    def lay(canvas: Canvas, t: float) -> None:
        canvas.lay(stand, placed(x, y, 0, 1, (stand.shape[1] / 2, 2)))
        for n, (sail, tip) in enumerate(zip(sails, tips, strict=True)):
            turn = rate * t + 2 * pi * n / count
            canvas.lay(sail, placed(x, y, turn, 1, (sail.shape[1] / 2, 12)))
            end = x - sin(turn) * (reach - 12), y + cos(turn) * (reach - 12)
            canvas.lay(tip, placed(*end, turn * 2, 1, (tip.shape[1] / 2, tip.shape[0] / 2)))

    return lay


def glass(draw: Draw, look: Look) -> Lay:
    """A vessel with tinted walls, a thick rim, highlights, something solid inside and a foot."""
    wide, high = int(draw.integers(160, 300)), int(draw.integers(220, 340))
    cover = cv2.resize(blob(draw, 300, 0.06), (wide, high))
    depth = cv2.distanceTransform((cover > 0.5).astype(np.uint8), cv2.DIST_L2, 5)
    wall = np.clip(1 - depth / draw.uniform(8, 24), 0, 1) ** 1.5
    thin = draw.uniform(0.12, 0.5)
    opacity = (thin + (draw.uniform(0.6, 0.95) - thin) * wall) * cover
    tint = np.broadcast_to(draw.uniform(0.05, 0.8, 3).astype(np.float32), (high, wide, 3))
    tint = tint * (0.7 + 0.5 * wall)[..., None]
    inside = np.dstack([tint.clip(0, 1), np.ones_like(wall), np.zeros_like(wall), np.zeros_like(wall)])
    vessel = (np.dstack([inside, np.ones_like(wall)]) * opacity[..., None]).astype(np.float32)
    gleams = []
    for _ in range(int(draw.integers(1, 4))):
        gleam = capsule(int(draw.integers(14, 26)), int(draw.integers(50, 130)))
        soft = cv2.GaussianBlur(gleam, (0, 0), draw.uniform(0.5, 3)) * draw.uniform(0.4, 0.95)
        white = np.dstack([np.full((*soft.shape, 4), 0.97), np.zeros((*soft.shape, 2)), np.ones(soft.shape)])
        white[..., 3] = 1
        gleams.append(((white * soft[..., None]).astype(np.float32), draw.uniform(-0.3, 0.3, 2) * (wide, high)))
    foot = solid(draw, look, cv2.resize(blob(draw, 120, 0.05), (wide, 60)))
    held = solid(draw, look, blob(draw, int(draw.integers(50, 90)), 0.2))
    x, y, dx = draw.uniform(380, 580), draw.uniform(230, 280), draw.uniform(-3, 3)

    def lay(canvas: Canvas, t: float) -> None:
        cx, tilt = x + dx * t, 0.04 * sin(0.3 * t)
        canvas.lay(foot, placed(cx, y + high / 2, 0, 1, (wide / 2, 30)))
        canvas.lay(held, placed(cx, y + 0.2 * high, 0.1 * t, 1, (held.shape[1] / 2, held.shape[0] / 2)))
        canvas.lay(vessel, placed(cx, y, tilt, 1, (wide / 2, high / 2)))
        for gleam, (px, py) in gleams:
            canvas.lay(gleam, placed(cx + px, y + py, 0.2, 1, (gleam.shape[1] / 2, gleam.shape[0] / 2)))

    return lay


def gauze(draw: Draw, look: Look) -> Lay:
    """A figure with a woven veil: threads too fine to see, the same everywhere but for its folds."""
    behind = figure(draw, look)
    wide, high = int(draw.integers(240, 420)), int(draw.integers(260, 420))
    cover = cv2.resize(blob(draw, 400, 0.1), (wide, high))
    y, x = np.mgrid[0:high, 0:wide].astype(np.float32)
    folds = 0.5 + 0.5 * np.sin(x * draw.uniform(0.05, 0.15) + 2 * np.sin(y * 0.02))
    pitch = draw.uniform(1.6, 3.0)
    weave = 1 + 0.35 * np.sin(x * 2 * pi / pitch) * np.sin(y * 2 * pi / pitch)
    opacity = ((draw.uniform(0.2, 0.5) + draw.uniform(0.05, 0.3) * folds) * weave).clip(0, 1) * cover
    colour = np.broadcast_to(_grey(draw) * draw.uniform(0.8, 1.3), (high, wide, 3)) * (0.75 + 0.35 * folds)[..., None]
    nothing = np.zeros_like(cover)
    planes = np.dstack([colour.clip(0, 1), nothing + 1, nothing + look.spill * 0.3, nothing, nothing + 1])
    veil = (planes * opacity[..., None]).astype(np.float32)
    px, py = draw.uniform(340, 620), draw.uniform(220, 320)

    def lay(canvas: Canvas, t: float) -> None:
        behind(canvas, t)
        canvas.lay(veil, placed(px + 2 * t, py, 0.05 * sin(0.3 * t), 1, (wide / 2, high / 2)))

    return lay


def lettering(draw: Draw, look: Look) -> Lay:
    """Words and flat shapes in plain colours, sliding in."""
    words = ["FOYER", "Act two", "Kestrel Lane", "10:45", "STALLS & CIRCLE", "once upon a"]
    fonts = [cv2.FONT_HERSHEY_DUPLEX, cv2.FONT_HERSHEY_TRIPLEX, cv2.FONT_HERSHEY_SCRIPT_COMPLEX]
    lines = []
    for n in range(int(draw.integers(3, 6))):
        mask = np.zeros((120, 900), np.uint8)
        size, weight = draw.uniform(1.0, 2.6), int(draw.integers(1, 9))
        cv2.putText(mask, str(draw.choice(words)), (20, 85), int(draw.choice(fonts)), size, 255, weight, cv2.LINE_AA)
        cover = mask.astype(np.float32) / 255
        if draw.random() < 0.3:
            cover = np.maximum(cover, np.pad(np.ones((8, 700), np.float32), ((104, 8), (20, 180))))
        colour = _cloth_colour(draw, look)
        nothing = np.zeros_like(cover)
        planes = np.dstack([np.broadcast_to(colour, (120, 900, 3)), nothing + 1, nothing, nothing, nothing])
        lines.append(((planes * cover[..., None]).astype(np.float32), draw.uniform(40, 220), 60 + 95 * n))
    dx = draw.uniform(-6, 6)

    def lay(canvas: Canvas, t: float) -> None:
        for sprite, x, y in lines:
            canvas.lay(sprite, np.array([[1, 0, x + dx * t], [0, 1, y]], np.float32))

    return lay


def _clouds(draw: Draw, count: int) -> Callable[[float], Picture]:
    """``(h, w, count)`` smoke 0..1 that drifts and folds."""
    octaves = [
        (
            draw.random((max(4, HEIGHT // size), max(4, 2 * WIDTH // size), count)).astype(np.float32),
            size,
            draw.uniform(-2, 2),
        )
        for size in (160, 70, 30, 12)
    ]
    x, y = draw.uniform(300, 660), draw.uniform(200, 340)
    down, across = np.mgrid[0:HEIGHT, 0:WIDTH].astype(np.float32)
    plume = np.exp(-(((across - x) / draw.uniform(90, 200)) ** 2) - ((down - y) / draw.uniform(80, 160)) ** 2)[
        ..., None
    ]

    def at(t: float) -> Picture:
        total = np.zeros((HEIGHT, WIDTH, count), np.float32)
        for noise, size, rate in octaves:
            wide = cv2.resize(noise, (2 * WIDTH, HEIGHT), interpolation=cv2.INTER_CUBIC).reshape(
                HEIGHT, 2 * WIDTH, count
            )
            left = 400 + rate * t
            moved = np.array([[1, 0, -left], [0, 1, 0]], np.float32)
            total += cv2.warpAffine(wide, moved, (WIDTH, HEIGHT)).reshape(total.shape) * (size / 160) ** 0.6
        share = np.clip((total / total.max() - 0.35) * 2.2, 0, 1)
        return (share * plume).astype(np.float32)

    return at


def glow(draw: Draw) -> Lay:
    """Lit smoke with sparks: coverage is the least that explains its light."""
    clouds, colour = _clouds(draw, 1), draw.uniform(0.4, 1.0, 3).astype(np.float32)
    sparks = draw.uniform((250, 120, -9, -9), (710, 420, 9, 9), (int(draw.integers(20, 90)), 4))

    def lay(canvas: Canvas, t: float) -> None:
        light = clouds(t) * colour * 1.2
        lines = np.zeros((HEIGHT, WIDTH), np.uint8)
        ends = np.round(
            np.stack([sparks[:, :2] + t * sparks[:, 2:], sparks[:, :2] + (t + 1.5) * sparks[:, 2:]], 1) * 16
        )
        cv2.polylines(lines, list(ends.astype(np.int32)), False, 255, 1, cv2.LINE_AA, 4)
        bright = cv2.GaussianBlur(lines.astype(np.float32) / 255, (0, 0), 0.8)[..., None]
        light = 1 - np.exp(-(light + bright * np.array([3.0, 1.6, 0.6], np.float32)))
        canvas.planes[..., RGB] = light
        canvas.planes[..., ALPHA] = light.max(axis=2)

    return lay


def ink(draw: Draw) -> Lay:
    """Ink or dark smoke: coverage is the least that explains the light it takes."""
    clouds, takes = _clouds(draw, 1), draw.uniform(0.3, 1.0, 3).astype(np.float32)

    def lay(canvas: Canvas, t: float) -> None:
        taken = 1 - np.exp(-2.2 * clouds(t) * takes / takes.max())
        alpha = taken.max(axis=2)
        own = np.clip(1 - taken / np.maximum(alpha, 1e-4)[..., None], 0, 1)
        canvas.planes[..., RGB] = own * alpha[..., None]
        canvas.planes[..., ALPHA] = alpha

    return lay
