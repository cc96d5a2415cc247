"""Plates without a screen, with exact truth: drawn at random from families, filmed, and compressed as cameras do."""

import os
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from math import cos, pi, sin
from pathlib import Path
from typing import Any

import av
import cv2
import numpy as np
from bench.drawn import PHOTOGRAPHS, Draw, blob, capsule, handheld, photograph, placed, sprite, still

from upholster.demo.camera import Layer, Picture, strokes

WIDTH, HEIGHT, FRAMES = 960, 540, 60


@dataclass
class Scene:
    """What is drawn at a time in frames: things on the subject's layer, things in front of it, ground and light."""

    ground: Picture
    subject: Callable[[Layer, float], None]
    front: Callable[[Layer, float], None] | None = None
    camera: Callable[[float], Picture] = lambda t: np.eye(3, dtype=np.float32)
    light: Callable[[float], float] = lambda t: 1.0
    shadow: float = 0.0
    shutter: float = 0.4
    noise: float = 0.008
    exposures: int = 3
    facts: dict[str, Any] = field(default_factory=dict)


def _turning(draw: Draw, **more: Any) -> Callable[[Layer, float], None]:
    size = int(draw.integers(200, 330))
    thing = sprite(draw, blob(draw, size), more.get("texture"))
    x, y = draw.uniform(300, 660), draw.uniform(220, 320)
    dx, dy = draw.uniform(-2.5, 2.5, 2) * (1.0, 0.4) * more.get("speed", 1.0)
    rate, grow = draw.uniform(-0.06, 0.06), draw.uniform(-0.003, 0.003)
    sway = more.get("sway", 0.0)

    def lay(layer: Layer, t: float) -> None:
        at = x + dx * t + sway * sin(0.19 * t), y + dy * t + 0.25 * sway * sin(0.31 * t)
        layer.lay_sprite(thing, placed(*at, rate * t, 1 + grow * t, (size / 2, size / 2)))

    return lay


def _walking(draw: Draw, **more: Any) -> Callable[[Layer, float], None]:
    texture = more.get("texture")
    body = sprite(draw, cv2.resize(blob(draw, 200, 0.08), (110, 190)), texture)
    head = sprite(draw, blob(draw, 90, 0.08), texture)
    arms = [sprite(draw, capsule(34, 120), texture) for _ in range(2)]
    fore = [sprite(draw, capsule(28, 110), texture) for _ in range(2)]
    legs = [sprite(draw, capsule(48, 130), texture) for _ in range(2)]
    shins = [sprite(draw, capsule(38, 120), texture) for _ in range(2)]
    way = draw.choice([-1, 1])
    x, y, speed = 480 - way * draw.uniform(80, 240), draw.uniform(190, 220), draw.uniform(2.5, 6) * way
    pace = draw.uniform(0.16, 0.26)
    swing = draw.uniform(0.35, 0.7)

    def limb(layer: Layer, upper: Picture, lower: Picture, at: tuple[float, float], turn: float, bend: float) -> None:
        long = upper.shape[0]
        layer.lay_sprite(upper, placed(*at, turn, 1, (upper.shape[1] / 2, 12)))
        end = at[0] - sin(turn) * (long - 26), at[1] + cos(turn) * (long - 26)
        layer.lay_sprite(lower, placed(*end, turn + bend, 1, (lower.shape[1] / 2, 12)))

    def lay(layer: Layer, t: float) -> None:
        cx, cy = x + speed * t, y + 4 * abs(sin(pace * t))
        step = swing * sin(pace * t)
        limb(layer, arms[0], fore[0], (cx, cy - 50), -1.2 * step, -0.5 * way)
        limb(layer, legs[0], shins[0], (cx, cy + 75), step, 0.3 * way * (1 + sin(pace * t)))
        layer.lay_sprite(body, placed(cx, cy, 0.06 * step, 1, (55, 95)))
        layer.lay_sprite(head, placed(cx, cy - 118, 0.1 * step, 1, (45, 45)))
        limb(layer, legs[1], shins[1], (cx, cy + 75), -step, 0.3 * way * (1 - sin(pace * t)))
        limb(layer, arms[1], fore[1], (cx, cy - 50), 1.2 * step, -0.5 * way)

    return lay


def _haired(draw: Draw) -> Callable[[Layer, float], None]:
    size = int(draw.integers(150, 220))
    thing = sprite(draw, blob(draw, size, 0.1))
    x, y = draw.uniform(380, 580), draw.uniform(230, 300)
    dx = draw.uniform(-2, 2)
    count = int(draw.integers(300, 800))
    turns, longs = draw.uniform(-pi, pi, count), draw.uniform(10, draw.uniform(30, 70), count)
    curls, thick = draw.uniform(-10, 10, count), int(draw.integers(1, 3))
    colours = draw.uniform(0.05, 0.85, (2, 3)).astype(np.float32)
    s = np.linspace(0, 1, 10)[:, None]

    def lay(layer: Layer, t: float) -> None:
        cx, cy, tilt = x + dx * t, y + 12 * sin(0.12 * t), 0.25 * sin(0.1 * t)
        lines = []
        for turn, long, curl in zip(turns + tilt, longs, curls, strict=True):
            out, side = np.array([cos(turn), sin(turn)]), np.array([-sin(turn), cos(turn)])
            root = np.array([cx, cy]) + out * size * 0.38
            sway = curl * np.sin(4 * s + 0.25 * t + 3 * turn)
            lines.append((root + out * long * s + side * sway).astype(np.float32))
        for colour, part in zip(colours, (lines[::2], lines[1::2]), strict=True):
            layer.lay(colour, strokes(WIDTH, HEIGHT, part, thick) * np.float32(0.9))
        layer.lay_sprite(thing, placed(cx, cy, tilt, 1, (size / 2, size / 2)))

    return lay


def _maned(draw: Draw) -> Callable[[Layer, float], None]:
    """A head with hair on a part of it, long or short, dense or thin, over a torso."""
    size = int(draw.integers(110, 230))
    head, torso = sprite(draw, blob(draw, size, 0.12)), sprite(draw, capsule(int(size * 0.9), int(size * 1.6)))
    x, y = draw.uniform(330, 630), draw.uniform(170, 270)
    dx, bob, pace = draw.uniform(-4, 4), draw.uniform(0, 25), draw.uniform(0.05, 0.3)
    count = int(np.exp(draw.uniform(np.log(30), np.log(900))))
    middle, wide = draw.uniform(-pi, pi), draw.uniform(0.5, pi)
    turns, longs = middle + draw.uniform(-wide, wide, count), draw.uniform(0.1, draw.uniform(0.15, 0.6), count) * size
    curls, falls = draw.uniform(-12, 12, count), draw.uniform(0, 0.8) * size * draw.uniform(0.1, 0.6, count)
    thick, opaque, root = draw.integers(1, 4, 3), draw.uniform(0.6, 1), draw.uniform(0.3, 0.44) * size
    own = head[head[..., 3] > 0.9][:, :3]
    colours = [own[draw.integers(len(own))] if draw.random() < 0.5 else draw.uniform(0.03, 0.9, 3) for _ in thick]
    blown, s, over = draw.uniform(0, 8), np.linspace(0, 1, 10)[:, None], draw.random() < 0.4

    def hair(layer: Layer, cx: float, cy: float, tilt: float, t: float) -> None:
        lines = []
        for turn, long, curl, fall in zip(turns + tilt, longs, curls, falls, strict=True):
            out, side = np.array([cos(turn), sin(turn)]), np.array([-sin(turn), cos(turn)])
            sway = curl * np.sin(4 * s + 3 * turn) + blown * s * sin(0.25 * t + turn)
            way = out * (root + long * s) + side * sway + np.array([0, 1]) * fall * s**2
            lines.append((np.array([cx, cy]) + way).astype(np.float32))
        for k, (colour, width) in enumerate(zip(colours, thick, strict=True)):
            layer.lay(np.float32(colour), strokes(WIDTH, HEIGHT, lines[k::3], int(width)) * np.float32(opaque))

    def lay(layer: Layer, t: float) -> None:
        cx, cy, tilt = x + dx * (t - 30), y + bob * sin(pace * t), 0.3 * sin(pace * t)
        layer.lay_sprite(torso, placed(cx, cy + size * 0.4, 0.3 * tilt, 1, (size * 0.45, 0)))
        if not over:
            hair(layer, cx, cy, tilt, t)
        layer.lay_sprite(head, placed(cx, cy, tilt, 1, (size / 2, size / 2)))
        if over:
            hair(layer, cx, cy, tilt, t)

    return lay


def _ground(draw: Draw, name: str | None = None) -> Picture:
    """A wide photograph behind it all, softer than the subject by a little."""
    wide = photograph(draw, WIDTH + 500, HEIGHT + 160, name)
    return cv2.GaussianBlur(wide, (0, 0), draw.uniform(0.6, 1.6))


def rigid(draw: Draw) -> Scene:
    return Scene(_ground(draw), _turning(draw), camera=draw.choice([still, handheld])(draw))


def walking(draw: Draw) -> Scene:
    return Scene(_ground(draw), _walking(draw), camera=draw.choice([still, handheld])(draw))


def similar(draw: Draw) -> Scene:
    name = str(draw.choice(PHOTOGRAPHS))
    ground = _ground(draw, name)
    top, left = int(draw.integers(0, 300)), int(draw.integers(0, 900))
    texture = (ground[top : top + 260, left : left + 260] * draw.uniform(0.8, 1.2, 3)).clip(0, 1).astype(np.float32)
    thing = draw.choice([_turning, _walking])(draw, texture=texture)
    return Scene(ground, thing, camera=handheld(draw))


def shaded(draw: Draw) -> Scene:
    end, wave = draw.uniform(0.65, 0.9), draw.uniform(0, 0.05)
    light = lambda t: 1 + (end - 1) * t / FRAMES + wave * sin(0.4 * t)  # noqa: E731
    return Scene(_ground(draw), draw.choice([_turning, _walking])(draw), light=light, shadow=draw.uniform(0.3, 0.5))


def blurred(draw: Draw) -> Scene:
    thing = _turning(draw, sway=draw.uniform(50, 110))
    return Scene(_ground(draw), thing, camera=handheld(draw), shutter=0.7, exposures=9)


def haired(draw: Draw) -> Scene:
    return Scene(_ground(draw), _haired(draw), camera=draw.choice([still, handheld])(draw))


def passed(draw: Draw) -> Scene:
    """Something stands, or goes by, in front of the subject."""
    wide = int(draw.integers(24, 60))
    pole = sprite(draw, np.ones((HEIGHT, wide), np.float32))
    x, speed = draw.uniform(420, 540), draw.choice([0.0, draw.uniform(3, 7)])

    def front(layer: Layer, t: float) -> None:
        layer.lay_sprite(pole, placed(x + speed * (t - 30), 0, 0.05, 1.1, (0, 10)))

    return Scene(_ground(draw), _walking(draw), front)


def panned(draw: Draw) -> Scene:
    pan = draw.uniform(2, 5) * draw.choice([-1, 1])
    return Scene(_ground(draw), draw.choice([_turning, _walking])(draw), camera=handheld(draw, pan))


#: Plates where other frames show what is behind the subject, and those where they do not.
FAMILIES = {f.__name__: f for f in (rigid, walking, similar, shaded, blurred, haired, passed, panned)}


def parallax(draw: Draw) -> Scene:
    """A camera that travels: what is near goes by faster than what is far."""
    near = [sprite(draw, blob(draw, int(draw.integers(120, 260)))) for _ in range(4)]
    places = [(draw.uniform(-100, 1100), draw.uniform(300, 520), draw.uniform(1.0, 3.5)) for _ in near]
    way = draw.choice([-1, 1])
    scene = Scene(_ground(draw), _walking(draw), camera=handheld(draw, float(way)))

    def behind(layer: Layer, t: float) -> None:
        for thing, (x, y, rate) in zip(near, places, strict=True):
            half = thing.shape[0] / 2
            layer.lay_sprite(thing, placed(x + way * rate * t, y, 0, 1, (half, half)))

    scene.facts["behind"] = behind
    return scene


def standing(draw: Draw) -> Scene:
    """Neither camera nor subject go anywhere; it turns and sways on the spot."""
    size = int(draw.integers(220, 320))
    thing = sprite(draw, blob(draw, size))

    def lay(layer: Layer, t: float) -> None:
        layer.lay_sprite(thing, placed(480, 280, 0.12 * sin(0.15 * t), 1, (size / 2, size / 2)))

    return Scene(_ground(draw), lay)


def maned(draw: Draw) -> Scene:
    """Hair of many kinds; networks learn from it, and it is in no table."""
    camera = draw.choice([still, handheld, lambda draw: handheld(draw, draw.uniform(-4, 4))])(draw)
    return Scene(_ground(draw), _maned(draw), camera=camera, noise=draw.uniform(0.002, 0.012))


WITHOUT_PLATE = {f.__name__: f for f in (parallax, standing)}
TAUGHT = {f.__name__: f for f in (maned,)}


def frames_of(scene: Scene, draw: Draw) -> Iterator[tuple[Picture, Picture]]:
    """Plate ``(h, w, 3)`` and truth ``(h, w)`` of each frame."""
    for n in range(FRAMES):
        plates, covers = [], []
        for k in range(scene.exposures):
            plate, cover = _exposed(scene, n + scene.shutter * (k / scene.exposures - 0.5))
            plates.append(plate)
            covers.append(cover)
        plate, cover = (cv2.GaussianBlur(np.mean(p, axis=0), (0, 0), 0.7) for p in (plates, covers))
        grain = cv2.GaussianBlur(draw.standard_normal(plate.shape, np.float32), (0, 0), 0.6) * scene.noise * 1.6
        yield (plate * scene.light(n) + grain).clip(0, 1).astype(np.float32), cover.astype(np.float32)


def _exposed(scene: Scene, t: float) -> tuple[Picture, Picture]:
    shift = np.array([[1, 0, -250], [0, 1, -80], [0, 0, 1]], np.float32)
    seen = scene.camera(t) @ shift
    ground = cv2.warpPerspective(
        scene.ground, seen, (WIDTH, HEIGHT), flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REFLECT
    )
    if behind := scene.facts.get("behind"):
        layer = Layer(WIDTH, HEIGHT)
        behind(layer, t)
        ground = layer.rgb + ground * (1 - layer.alpha)[..., None]
    subject = Layer(WIDTH, HEIGHT)
    scene.subject(subject, t)
    if scene.shadow:
        cast = cv2.GaussianBlur(np.roll(subject.alpha, (60, 50), (0, 1)), (0, 0), 18)
        ground = ground * (1 - scene.shadow * cast)[..., None]
    plate = subject.rgb + ground * (1 - subject.alpha)[..., None]
    cover = subject.alpha
    if scene.front:
        front = Layer(WIDTH, HEIGHT)
        scene.front(front, t)
        keep = 1 - front.alpha
        plate, cover = front.rgb + plate * keep[..., None], cover * keep
    return plate, cover


def film(name: str, seed: int, folder: Path) -> tuple[Path, Path]:
    """A plate as H.264 4:2:0, CRF 20, and its truth; made unless it is there."""
    video, truth = folder / f"{name}-{seed}.mp4", folder / f"{name}-{seed}.npz"
    if video.exists() and truth.exists():
        return video, truth
    folder.mkdir(parents=True, exist_ok=True)
    draw = np.random.default_rng([seed, sum(map(ord, name))])
    scene = (FAMILIES | WITHOUT_PLATE | TAUGHT)[name](draw)
    covers = []
    # Whoever films the same at the same time finds the whole of either, or nothing.
    parts = [path.with_name(f"{os.getpid()}.{path.name}") for path in (video, truth)]
    with av.open(str(parts[0]), "w") as out:
        stream = out.add_stream("libx264", rate=24, options={"crf": "20", "preset": "fast"})
        stream.width, stream.height, stream.pix_fmt = WIDTH, HEIGHT, "yuv420p"
        stream.codec_context.color_range = 1
        stream.codec_context.colorspace, stream.codec_context.color_trc, stream.codec_context.color_primaries = 1, 1, 1
        for plate, cover in frames_of(scene, draw):
            covers.append(np.rint(cover * 255).astype(np.uint8))
            picture = av.VideoFrame.from_ndarray(np.rint(plate * 255).astype(np.uint8), "rgb24")
            out.mux(stream.encode(picture.reformat(format="yuv420p", dst_colorspace=1)))
        out.mux(stream.encode())
    np.savez_compressed(parts[1], np.stack(covers))
    for part, path in zip(parts, (video, truth), strict=True):
        part.replace(path)
    return video, truth
