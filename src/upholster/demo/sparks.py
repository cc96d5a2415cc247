"""Grinding sparks on black."""

import cv2
import numpy as np

from upholster.demo.camera import Picture, Shot

WIDTH, HEIGHT, FRAMES, RATE = 1280, 720, 72, 24
_PER_FRAME = 30


def shot(frame: int) -> Shot:
    """Frame `frame`: streaks of burning metal thrown to the right, with a glow at the wheel."""
    light = np.zeros((HEIGHT, WIDTH, 3), np.float32)
    for birth in range(frame - 26, frame + 1):
        _draw_born(light, birth, frame)
    glow = cv2.GaussianBlur(light, (0, 0), 5) * 0.7 + cv2.GaussianBlur(light, (0, 0), 26) * 0.9
    light = cv2.GaussianBlur(light, (0, 0), 0.8) * 1.4 + glow
    emitted = 1 - np.exp(-light * 1.5)
    rng = np.random.default_rng(9000 + frame)
    black = np.array([0.012, 0.011, 0.014], np.float32)
    plate = emitted + black * (1 - emitted)
    plate = plate + cv2.GaussianBlur(rng.standard_normal(plate.shape, np.float32), (0, 0), 0.6) * 0.008
    alpha = emitted.max(axis=2)
    return Shot(
        np.clip(plate, 0, 1).astype(np.float32),
        alpha.astype(np.float32),
        (emitted / np.maximum(alpha, 1e-4)[..., None]).astype(np.float32),
    )


def _draw_born(light: Picture, birth: int, frame: int) -> None:
    rng = np.random.default_rng(100 + birth)
    for _ in range(_PER_FRAME):
        speed, turn = rng.uniform(10, 42), rng.normal(-0.42, 0.26)
        life, start, width = rng.uniform(6, 26), rng.uniform(0, 1), int(rng.choice([1, 1, 1, 2]))
        heat = rng.uniform(0.6, 1.5)
        age = frame - birth + start
        if age > life:
            continue
        ages = np.linspace(max(0.0, age - 0.9), age, 5)
        drag = (1 - 0.97**ages) / 0.03
        x = 250 + speed * np.cos(turn) * drag
        y = 430 + speed * np.sin(turn) * drag + 0.42 * ages**2
        left = 1 - age / life
        colour = heat * np.array([1.0, 0.30 + 0.55 * left, 0.06 + 0.55 * left**3]) * (0.25 + left)
        line = np.round(np.stack([x, y], 1) * 16).astype(np.int32)
        cv2.polylines(light, [line], False, tuple(float(c) for c in colour), width, cv2.LINE_8, 4)
        if rng.random() < 0.12 and left < 0.25:
            for _ in range(5):
                tip = line[-1] + np.round(rng.normal(0, 16, 2) * 16).astype(np.int32)
                cv2.line(light, line[-1].tolist(), tip.tolist(), tuple(float(c) for c in colour), 1, cv2.LINE_8, 4)
