"""Ten plain plates with exact truth. The key never sees the truth, and none of these is a demo plate."""

from collections.abc import Callable
from math import cos, pi, sin
from pathlib import Path

import av
import cv2
import numpy as np
from bench.quality.plates import FRAMES, HEIGHT, WIDTH, Truth

from upholster.demo.camera import Layer, Picture, polygon, strokes, uneven_light
from upholster.demo.make import film as filmed

GREEN = np.array([0.15, 0.60, 0.22], np.float32)
BLUE = np.array([0.12, 0.22, 0.62], np.float32)
ORANGE = np.array([0.85, 0.48, 0.16], np.float32)


def _flat(colour: Picture) -> Picture:
    return np.broadcast_to(colour, (HEIGHT, WIDTH, 3)).astype(np.float32)


def _uneven(colour: Picture) -> Picture:
    y = np.linspace(0, 1, HEIGHT, dtype=np.float32)[:, None, None]
    floor = 1 / (1 + np.exp(-(y - 0.86) * 50))
    second = colour * np.array([1.15, 1.08, 1.05], np.float32)
    return ((colour * (1 - floor) + second * floor) * uneven_light(WIDTH, HEIGHT, folds=0.05, vignette=0.4)).astype(
        np.float32
    )


def _expose(layers: list[Layer], screen: Picture, frame: int, *, spill: float = 0.0, blur: float = 0.7) -> Truth:
    rgb = cv2.GaussianBlur(np.mean([e.rgb for e in layers], axis=0), (0, 0), blur)
    alpha = cv2.GaussianBlur(np.mean([e.alpha for e in layers], axis=0), (0, 0), blur)
    straight = rgb / np.maximum(alpha, 1e-4)[..., None]
    lit = straight + screen * spill
    return _grain(lit * alpha[..., None] + screen * (1 - alpha[..., None]), alpha, straight, frame)


def _grain(plate: Picture, alpha: Picture, straight: Picture, frame: int) -> Truth:
    rng = np.random.default_rng(4000 + frame)
    noise = cv2.GaussianBlur(rng.standard_normal(plate.shape, np.float32), (0, 0), 0.6) * np.float32(0.012)
    return Truth(np.clip(plate + noise, 0, 1).astype(np.float32), alpha.astype(np.float32), straight.astype(np.float32))


def _disc(x: float, y: float, radius: float, squash: float = 1.0) -> Picture:
    mask = np.zeros((HEIGHT, WIDTH), np.uint8)
    axes = (round(radius * 16), round(radius * squash * 16))
    cv2.ellipse(mask, (round(x * 16), round(y * 16)), axes, 0, 0, 360, 255, -1, cv2.LINE_AA, 4)
    return mask.astype(np.float32) / np.float32(255)


def _figure(frame: float, palette: list[tuple[float, float, float]]) -> Layer:
    """A head, a body and two arms in plain colours with some shading."""
    layer = Layer(WIDTH, HEIGHT)
    shade = 0.85 + 0.3 * np.linspace(0, 1, WIDTH, dtype=np.float32)[None, :, None] * np.ones((HEIGHT, 1, 1), np.float32)
    x = 480 + 6 * frame
    body = np.array([[x - 90, 250], [x + 90, 250], [x + 150, 540], [x - 150, 540]], np.float32)
    parts = [
        (polygon(WIDTH, HEIGHT, body), 0),
        (_disc(x, 170, 78, 1.15), 1),
        (_disc(x - 150, 330 + 4 * frame, 38, 1.6), 2),
        (_disc(x + 150, 300 - 4 * frame, 38, 1.6), 3),
    ]
    for cover, colour in parts:
        picture = np.array(palette[colour], np.float32) * shade
        keep = (1 - cover)[..., None]
        layer.rgb = picture * cover[..., None] + layer.rgb * keep
        layer.alpha = cover + layer.alpha * keep[..., 0]
    return layer


_PLAIN = [(0.55, 0.18, 0.20), (0.78, 0.57, 0.45), (0.80, 0.76, 0.70), (0.20, 0.18, 0.24)]


def hard_shapes(frame: int) -> Truth:
    return _expose([_figure(frame, _PLAIN)], _flat(GREEN), frame)


def uneven_screen(frame: int) -> Truth:
    figure = _figure(frame, _PLAIN)
    shadow = cv2.GaussianBlur(np.roll(figure.alpha, (14, 40), (0, 1)), (0, 0), 26)[..., None]
    return _expose([figure], _uneven(GREEN) * (1 - 0.25 * shadow), frame, spill=0.12)


def fine_hair(frame: int) -> Truth:
    rng = np.random.default_rng(5)
    layer = _figure(frame * 0.5, _PLAIN)
    s = np.linspace(0, 1, 16)[:, None]
    lines = []
    for _ in range(260):
        turn, length, curl = rng.uniform(-pi, pi), rng.uniform(60, 190), rng.uniform(-26, 26)
        root = np.array([480 + 3 * frame + 70 * cos(turn), 165 + 70 * sin(turn)])
        out = np.array([cos(turn), sin(turn)])
        side = np.array([-sin(turn), cos(turn)])
        sway = curl * np.sin(s * 4 + frame * 0.25 + turn)
        lines.append((root + out * length * s + side * sway + np.array([0, 40]) * s**2).astype(np.float32))
    for colour, part in (((0.16, 0.09, 0.06), lines[:150]), ((0.80, 0.62, 0.36), lines[150:])):
        layer.lay(np.array(colour, np.float32), strokes(WIDTH, HEIGHT, part) * np.float32(0.9))
    return _expose([layer], _uneven(GREEN), frame, spill=0.05, blur=0.5)


def motion_blur(frame: int) -> Truth:
    moments = []
    for k in range(16):
        layer = Layer(WIDTH, HEIGHT)
        t = frame + k / 16
        layer.lay(np.array([0.78, 0.57, 0.45], np.float32), _disc(200 + 62 * t, 270 + 90 * sin(t), 46))
        layer.lay(np.array([0.2, 0.2, 0.5], np.float32), _disc(760 - 50 * t, 200, 30, 2.2))
        moments.append(layer)
    return _expose(moments, _uneven(GREEN), frame)


def blue_with_greens(frame: int) -> Truth:
    palette = [(0.22, 0.45, 0.20), (0.78, 0.57, 0.45), (0.42, 0.47, 0.56), (0.55, 0.62, 0.30)]
    return _expose([_figure(frame, palette)], _uneven(BLUE), frame, spill=0.05)


def orange_wall(frame: int) -> Truth:
    palette = [(0.25, 0.30, 0.42), (0.82, 0.80, 0.74), (0.35, 0.20, 0.16), (0.20, 0.35, 0.30)]
    return _expose([_figure(frame, palette)], _uneven(ORANGE), frame)


def tinted_glass(frame: int) -> Truth:
    layer = Layer(WIDTH, HEIGHT)
    x = 470 + 5 * frame
    layer.lay(np.array([0.75, 0.30, 0.20], np.float32), _disc(x, 270, 150, 1.1) * np.float32(0.45))
    layer.lay(np.array([0.92, 0.92, 0.95], np.float32), _disc(x - 50, 190, 34, 1.4) * np.float32(0.7))
    layer.lay(np.array([0.30, 0.22, 0.15], np.float32), _disc(x, 470, 90, 0.4))
    return _expose([layer], _flat(GREEN), frame)


def _emitted(frame: int) -> Picture:
    rng = np.random.default_rng(17)
    light = np.zeros((HEIGHT, WIDTH, 3), np.float32)
    for _ in range(120):
        x, y, turn = rng.uniform(200, 760), rng.uniform(100, 440), rng.uniform(0, 2 * pi)
        end = (x + 26 * cos(turn) + 9 * frame, y + 26 * sin(turn))
        line = np.round(np.array([[x + 9 * frame, y], end]) * 16).astype(np.int32)
        cv2.polylines(light, [line], False, (1.6, rng.uniform(0.5, 1.2), rng.uniform(0.1, 0.6)), 1, cv2.LINE_8, 4)
    light = cv2.GaussianBlur(light, (0, 0), 1.0) * 1.5 + cv2.GaussianBlur(light, (0, 0), 14) * 3
    return (1 - np.exp(-light)).astype(np.float32)


def glow_on_black(frame: int) -> Truth:
    glow = _emitted(frame)
    black = _flat(np.array([0.015, 0.014, 0.017], np.float32))
    alpha = glow.max(axis=2)
    return _grain(glow + black * (1 - alpha[..., None]), alpha, glow / np.maximum(alpha, 1e-4)[..., None], frame)


def ink_on_white(frame: int) -> Truth:
    taken = _emitted(frame)[..., ::-1] * np.float32(0.97)
    white = _flat(np.array([0.95, 0.95, 0.94], np.float32))
    alpha = taken.max(axis=2)
    own = np.clip(1 - taken / np.maximum(alpha, 1e-4)[..., None], 0, 1) * 0.9
    plate = own * alpha[..., None] + white * (1 - alpha[..., None])
    return _grain(plate, alpha, own, frame)


def near_colours(frame: int) -> Truth:
    palette = [(0.30, 0.42, 0.22), (0.78, 0.57, 0.45), (0.45, 0.55, 0.30), (0.25, 0.40, 0.38)]
    return _expose([_figure(frame, palette)], _flat(GREEN), frame)


CASES: dict[str, Callable[[int], Truth]] = {
    "hard shapes": hard_shapes,
    "uneven screen": uneven_screen,
    "fine hair": fine_hair,
    "motion blur": motion_blur,
    "blue, green things": blue_with_greens,
    "orange wall": orange_wall,
    "tinted glass": tinted_glass,
    "glow on black": glow_on_black,
    "ink on white": ink_on_white,
    "near colours": near_colours,
}


def film(name: str, folder: Path, lossless: bool) -> tuple[Path, list[Truth]]:
    """Film a case as H.264 4:2:0, or as lossless RGB; its truth."""
    truths = [CASES[name](n) for n in range(FRAMES)]
    return _footage(truths, folder, lossless), truths


def _footage(truths: list[Truth], folder: Path, lossless: bool) -> Path:
    if not lossless:
        path = folder / "plate.mp4"
        pictures = [t.plate for t in truths]
        filmed(path, len(truths), pictures.__getitem__)
        return path
    path = folder / "plate.mkv"
    with av.open(str(path), "w") as container:
        stream = container.add_stream("ffv1", rate=24)
        stream.height, stream.width = truths[0].alpha.shape
        stream.pix_fmt = "bgr0"
        for truth in truths:
            pixels = np.rint(truth.plate[..., ::-1] * 255).astype(np.uint8)
            frame = av.VideoFrame(stream.width, stream.height, "bgr0")
            rows = np.frombuffer(frame.planes[0], np.uint8).reshape(stream.height, -1)
            rows[:, : stream.width * 4] = cv2.cvtColor(pixels, cv2.COLOR_BGR2BGRA).reshape(stream.height, -1)
            container.mux(stream.encode(frame))
        container.mux(stream.encode(None))
    return path
