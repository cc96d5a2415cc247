"""Grounds to lay elements over: a night harbour (still) and an attic stage (clip)."""

from math import pi, sin

import cv2
import numpy as np

from upholster.demo.camera import Picture, polygon

WIDTH, HEIGHT, FRAMES, RATE = 1280, 720, 96, 24


#: Where the water begins, and where lamps stand along the quay: the foot of each, and the end of its arm.
SHORE = 478
POSTS = tuple(range(96, WIDTH, 236))
ARM = (30, 366)
#: Where the moonlight comes from.
_MOON = (400, 150)


def night_harbour() -> Picture:
    """A painted harbour at night ``(h, w, 3)``: houses in the haze, lamps along the quay, their light in the water."""
    rng = np.random.default_rng(3)
    y, x = np.mgrid[0:HEIGHT, 0:WIDTH].astype(np.float32)
    picture = _sky(x, y, rng)
    for far, shade, tall, bottom in (
        (True, (0.085, 0.105, 0.185), 120, SHORE - 14),
        (False, (0.040, 0.048, 0.086), 150, SHORE),
    ):
        _houses(picture, rng, np.array(shade, np.float32), tall, bottom, far=far)
        if far:
            haze = np.exp(-(((y - SHORE) / 130) ** 2))[..., None] * np.array([0.055, 0.060, 0.085], np.float32)
            picture += haze
    _quay(picture)
    _water(picture, x, rng)
    _boats(picture)
    return np.clip(cv2.GaussianBlur(picture, (0, 0), 0.7), 0, 1)


def _sky(x: Picture, y: Picture, rng: np.random.Generator) -> Picture:
    height = np.clip(y / SHORE, 0, 1)[..., None]
    stops = (
        (0.0, (0.016, 0.028, 0.078)),
        (0.55, (0.040, 0.070, 0.155)),
        (0.85, (0.110, 0.115, 0.205)),
        (1.0, (0.235, 0.180, 0.215)),
    )
    picture = np.zeros((HEIGHT, WIDTH, 3), np.float32)
    for (low, above), (high, below) in zip(stops, stops[1:], strict=False):
        share = np.clip((height - low) / (high - low), 0, 1)
        inside = (height >= low) & (height <= high)
        picture = np.where(
            inside, np.array(above, np.float32) * (1 - share) + np.array(below, np.float32) * share, picture
        )
    cloud = sum(
        cv2.GaussianBlur(rng.standard_normal((HEIGHT, WIDTH), np.float32), (0, 0), sigmaX=4.2 * size, sigmaY=size)
        * size
        for size in (10, 26)
    )
    lit = np.exp(-np.hypot(x - _MOON[0], y - _MOON[1]) / 190)
    veil = np.clip(np.asarray(cloud, np.float32) * 1.3 + 0.25, 0, 1) * (0.06 + 0.22 * lit)
    picture = picture + veil[..., None] * np.array([0.62, 0.68, 0.85], np.float32)
    glow = 0.30 * np.exp(-np.hypot(x - _MOON[0], y - _MOON[1]) / 120) + 0.10 * lit
    picture += glow[..., None] * np.array([0.86, 0.84, 0.72], np.float32)
    stars = np.zeros((HEIGHT, WIDTH, 3), np.float32)
    for _ in range(260):
        place = int(rng.uniform(0, WIDTH)), int(rng.uniform(0, 340) ** 1.0)
        bright = float(rng.uniform(0.15, 1.0) ** 2)
        cv2.circle(stars, place, 1, (0.75 * bright, 0.80 * bright, 0.95 * bright), -1, cv2.LINE_AA)
    return (picture + stars * (1 - np.clip(y / 400, 0, 1))[..., None] + cv2.GaussianBlur(stars, (0, 0), 2.5)).astype(
        np.float32
    )


def _houses(picture: Picture, rng: np.random.Generator, shade: Picture, tall: float, bottom: int, *, far: bool) -> None:
    left, light = -20, np.zeros_like(picture)
    while left < WIDTH:
        w, h = int(rng.uniform(52, 120)), int(rng.uniform(0.5, 1.25) * tall)
        top, tone = bottom - h, shade * float(rng.uniform(0.85, 1.2))
        cv2.rectangle(picture, (left, top), (left + w, bottom), tuple(float(c) for c in tone), -1)
        peak = int(rng.uniform(24, 52))
        roof = np.array([[left - 5, top], [left + w // 2, top - peak], [left + w + 5, top]], np.int32)
        cv2.fillPoly(picture, [roof], tuple(float(c) for c in tone * 0.72), cv2.LINE_AA)
        if rng.random() < 0.7:
            chimney = left + int(w * rng.uniform(0.6, 0.8))
            cv2.rectangle(
                picture, (chimney, top - peak // 2 - 12), (chimney + 9, top), tuple(float(c) for c in tone * 0.7), -1
            )
        for row in range(top + 16, bottom - 24, 30):
            for k in range(max(1, w // 26)):
                if rng.random() < (0.30 if far else 0.42):
                    warm = np.array([1.0, 0.66, 0.28]) * float(rng.uniform(0.35, 0.95) * (0.55 if far else 1))
                    wx = left + 10 + 25 * k
                    if wx + 11 < left + w:
                        cv2.rectangle(light, (wx, row), (wx + 9, row + 14), tuple(float(c) for c in warm), -1)
                        cv2.line(light, (wx + 5, row), (wx + 5, row + 14), tuple(float(c) for c in warm * 0.4), 1)
        left += w + int(rng.uniform(-6, 12))
    picture += light + cv2.GaussianBlur(light, (0, 0), 9) * 0.9


def _quay(picture: Picture) -> None:
    """The edge of the quay, and lamp posts with an arm from which something can hang."""
    iron = (0.050, 0.052, 0.070)
    cv2.rectangle(picture, (0, SHORE - 14), (WIDTH, SHORE), (0.036, 0.038, 0.055), -1)
    cv2.line(picture, (0, SHORE - 14), (WIDTH, SHORE - 14), (0.12, 0.11, 0.13), 1)
    light = np.zeros_like(picture)
    for x in POSTS:
        cv2.line(picture, (x, SHORE - 10), (x, ARM[1] - 16), iron, 5, cv2.LINE_AA)
        cv2.ellipse(picture, (x + ARM[0] // 2, ARM[1] - 4), (ARM[0] // 2, 14), 0, 180, 360, iron, 4, cv2.LINE_AA)
        cv2.circle(light, (x + ARM[0], ARM[1] + 56), 9, (0.62, 0.86, 0.42), -1, cv2.LINE_AA)
        cv2.ellipse(light, (x + ARM[0], SHORE - 6), (64, 5), 0, 0, 360, (0.12, 0.16, 0.08), -1, cv2.LINE_AA)
    picture += cv2.GaussianBlur(light, (0, 0), 30) * 3.4 + cv2.GaussianBlur(light, (0, 0), 9) * 0.6


def _water(picture: Picture, x: Picture, rng: np.random.Generator) -> None:
    """The harbour's water: what stands above it, upside down, broken by ripples that grow towards the front."""
    deep = HEIGHT - SHORE
    rows = np.arange(deep, dtype=np.float32)[:, None]
    near = rows / deep
    noise = cv2.GaussianBlur(rng.standard_normal((deep, WIDTH), np.float32), (0, 0), sigmaX=26, sigmaY=1.4)
    noise = noise / noise.std()
    shift = (2 + 16 * near) * noise
    upside = np.clip(SHORE - 1 - rows * 1.55 + 5 * noise * near, 0, SHORE - 1).astype(np.float32)
    mirrored = cv2.remap(
        cv2.GaussianBlur(picture, (0, 0), sigmaX=1.5, sigmaY=7),
        x[:deep] + shift,
        upside,
        cv2.INTER_LINEAR,
        borderMode=cv2.BORDER_REFLECT,
    )
    dark = np.array([0.010, 0.018, 0.036], np.float32)
    water = mirrored * (0.78 - 0.30 * near)[..., None] * np.array([0.72, 0.86, 1.0], np.float32) + dark
    path = np.exp(-(((x[:deep] - _MOON[0]) / (46 + 110 * near)) ** 2)) * np.clip(noise - 0.25, 0, 2)
    water += (path * (0.10 + 0.16 * near))[..., None] * np.array([0.92, 0.90, 0.78], np.float32)
    picture[SHORE:] = water


def _boats(picture: Picture) -> None:
    for x, size in ((250, 1.0), (664, 1.35)):
        hull = np.array([[-70, -16], [70, -16], [46, 14], [-52, 14]], np.float32) * size + (x, SHORE + 12)
        picture *= 1 - polygon(WIDTH, HEIGHT, hull)[..., None] * 0.93
        mast = int(SHORE + 12 - 16 * size), int(SHORE + 12 - 150 * size)
        cv2.line(picture, (x, mast[0]), (x, mast[1]), (0.02, 0.02, 0.03), 3, cv2.LINE_AA)
        sail = np.array([[4, -142], [4, -34], [56, -34]], np.float32) * size + (x, SHORE + 12)
        picture *= 1 - polygon(WIDTH, HEIGHT, sail)[..., None] * 0.55


def attic_stage(frame: int) -> Picture:
    """A small stage in an attic ``(h, w, 3)``: curtains that breathe, a lamp that swings."""
    t = frame / RATE
    y, x = np.mgrid[0:HEIGHT, 0:WIDTH].astype(np.float32)
    boards = 0.055 * np.sin(x * 0.075 + 0.4 * np.sin(y * 0.01)) + 0.02 * np.sin(x * 0.9)
    back = np.array([0.42, 0.33, 0.25], np.float32) * (1 + boards)[..., None]
    depth = np.clip((y - 560) / 160, 0, 1)
    plank = np.sin((x - 640) / (0.25 + depth) * 0.045)
    floor = np.array([0.36, 0.24, 0.15], np.float32) * (0.82 + 0.10 * plank + 0.25 * depth)[..., None]
    picture = np.where((y > 560)[..., None], floor, back)
    for side in (-1, 1):
        edge = 640 + side * (420 + 26 * np.sin(y * 0.012 + 2 * pi * t / 4) + 60 * (1 - y / HEIGHT))
        inside = np.clip((x - edge) * side / 2, 0, 1)
        folds = 0.72 + 0.28 * np.sin(x * 0.11 + 1.5 * np.sin(y * 0.008 + 2 * pi * t / 4 + side))
        cloth = np.array([0.46, 0.09, 0.11], np.float32) * folds[..., None]
        picture = picture * (1 - inside[..., None]) + cloth * inside[..., None]
    lamp = 640 + 130 * sin(2 * pi * t / 4)
    pool = 0.38 + 1.0 * np.exp(-(((x - lamp) / 470) ** 2 + ((y - 380) / 400) ** 2))
    picture = picture * pool[..., None] * np.array([1.06, 0.98, 0.85], np.float32)
    grain = np.random.default_rng(500 + frame).standard_normal((HEIGHT, WIDTH, 1), np.float32) * 0.008
    return np.clip(cv2.GaussianBlur(picture, (0, 0), 1.2) + grain, 0, 1).astype(np.float32)
