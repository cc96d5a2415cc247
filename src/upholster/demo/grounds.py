"""Grounds to lay elements over: a night harbour (still) and an attic stage (clip)."""

from math import pi, sin

import cv2
import numpy as np

from upholster.demo.camera import Picture, polygon

WIDTH, HEIGHT, FRAMES, RATE = 1280, 720, 96, 24


def night_harbour() -> Picture:
    """A painted harbour at night ``(h, w, 3)``: moon, quay lamps, boats, their light in the water."""
    rng = np.random.default_rng(3)
    y, x = np.mgrid[0:HEIGHT, 0:WIDTH].astype(np.float32)
    t = (y / HEIGHT)[..., None]
    sky = np.array([0.035, 0.06, 0.14]) * (1 - t) + np.array([0.17, 0.17, 0.26]) * t
    picture = sky.astype(np.float32)
    for _ in range(170):
        cv2.circle(
            picture,
            (int(rng.uniform(0, WIDTH)), int(rng.uniform(0, 330))),
            1,
            (0.6, 0.62, 0.7),
            -1,
            cv2.LINE_AA,
        )
    moon = np.exp(-((x - 990) ** 2 + (y - 140) ** 2) / 42**2)
    picture += (np.clip(moon * 6, 0, 1) * 0.75 + 0.16 * np.exp(-np.hypot(x - 990, y - 140) / 150))[..., None] * (
        np.array([1.0, 0.95, 0.8], np.float32)
    )
    _quay(picture, rng)
    water = picture[:470][::-1][:250] * np.array([0.6, 0.7, 0.8], np.float32)
    rows = np.arange(250, dtype=np.float32)[:, None]
    shift = (6 + rows * 0.06) * np.sin(rows * 0.9 + 2 * np.sin(rows * 0.11)) + 0 * x[:250]
    picture[470:720] = cv2.remap(
        cv2.GaussianBlur(water, (0, 0), 2.2),
        x[:250] + shift,
        np.repeat(rows, WIDTH, 1),
        cv2.INTER_LINEAR,
        borderMode=cv2.BORDER_REFLECT,
    )
    return np.clip(cv2.GaussianBlur(picture, (0, 0), 0.8), 0, 1)


def _quay(picture: Picture, rng: np.random.Generator) -> None:
    left = 0
    while left < WIDTH:
        w, h = int(rng.uniform(60, 130)), int(rng.uniform(70, 190))
        shade = rng.uniform(0.035, 0.075)
        cv2.rectangle(picture, (left, 462 - h), (left + w, 470), (shade, shade, shade * 1.5), -1)
        roof = np.array([[left - 6, 462 - h], [left + w // 2, 430 - h], [left + w + 6, 462 - h]], np.int32)
        cv2.fillPoly(picture, [roof], (shade * 0.7, shade * 0.6, shade), cv2.LINE_AA)
        for k in range(int(rng.integers(1, 5))):
            wx, wy = left + 12 + 22 * k, 476 - h + int(rng.uniform(0, h * 0.5))
            if wx + 10 < left + w:
                cv2.rectangle(picture, (wx, wy), (wx + 9, wy + 13), (0.95, 0.66, 0.28), -1)
        left += w + int(rng.uniform(-4, 10))
    for x in range(110, WIDTH, 235):
        cv2.line(picture, (x, 470), (x, 400), (0.05, 0.05, 0.07), 3, cv2.LINE_AA)
        glow = np.zeros_like(picture)
        cv2.circle(glow, (x, 396), 6, (1.0, 0.78, 0.42), -1, cv2.LINE_AA)
        picture += glow + cv2.GaussianBlur(glow, (0, 0), 22) * 6
    for x, size in ((300, 1.0), (720, 1.4)):
        hull = np.array([[-70, -16], [70, -16], [46, 14], [-52, 14]], np.float32) * size + (x, 478)
        picture *= 1 - polygon(WIDTH, HEIGHT, hull)[..., None] * 0.93
        cv2.line(picture, (x, int(478 - 16 * size)), (x, int(478 - 150 * size)), (0.04, 0.04, 0.05), 3, cv2.LINE_AA)


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
