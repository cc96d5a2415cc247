"""Things for benches to film: parts of photographs, shapes, shaded sprites, cameras in a hand."""

from collections.abc import Callable
from math import cos, pi, sin

import cv2
import numpy as np
from numpy.typing import NDArray
from skimage import data

from upholster.demo.camera import Picture

Numbers = NDArray[np.float64]
Draw = np.random.Generator

#: Photographs that scikit-image brings along, none of them of a person.
PHOTOGRAPHS = ("brick", "chelsea", "coffee", "coins", "grass", "gravel", "immunohistochemistry", "retina", "rocket")


def photograph(draw: Draw, width: int, height: int, name: str | None = None) -> Picture:
    """A part of a photograph, its colours turned and stretched at random."""
    picture = np.asarray(getattr(data, name or draw.choice(PHOTOGRAPHS))(), np.float32) / 255
    picture = np.repeat(picture[..., None], 3, 2) if picture.ndim == 2 else picture[..., :3]
    tint = draw.uniform(0.55, 1.25, 3).astype(np.float32)
    mixed = picture @ (0.7 * np.eye(3) + 0.3 * draw.dirichlet(np.ones(3), 3)).astype(np.float32)
    part = draw.uniform(0.45, 0.9)
    high = max(8, int(picture.shape[0] * part))
    wide = max(8, min(picture.shape[1], int(high * width / height)))
    top, left = (int(draw.integers(0, n + 1)) for n in (picture.shape[0] - high, picture.shape[1] - wide))
    cut = np.ascontiguousarray(mixed[top : top + high, left : left + wide])
    return (cv2.resize(cut, (width, height), interpolation=cv2.INTER_CUBIC) * tint).clip(0.02, 0.98)


def sprite(draw: Draw, cover: Picture, texture: Picture | None = None, shade: float = 0.35) -> Picture:
    """A premultiplied RGBA thing of a shape, with a photograph on it and a shaded side."""
    height, width = cover.shape
    colour = photograph(draw, width, height) if texture is None else cv2.resize(texture, (width, height))
    turn = draw.uniform(0, 2 * pi)
    y, x = np.mgrid[0:height, 0:width].astype(np.float32)
    ramp = (x / width - 0.5) * cos(turn) + (y / height - 0.5) * sin(turn)
    colour = colour * (1 + shade * ramp)[..., None]
    return np.dstack([colour * cover[..., None], cover]).astype(np.float32)


def blob(draw: Draw, size: int, rough: float = 0.25) -> Picture:
    """Coverage of a closed shape with lobes."""
    turns = np.linspace(0, 2 * pi, 200, endpoint=False)
    reach = np.ones(200)
    for k in range(2, 7):
        reach += rough / k * draw.normal() * np.cos(k * turns + draw.uniform(0, 2 * pi))
    reach *= 0.46 * size / reach.max()
    points = np.stack([size / 2 + reach * np.cos(turns), size / 2 + reach * np.sin(turns)], 1)
    return _filled(size, size, points)


def capsule(width: int, height: int) -> Picture:
    """Coverage of a limb: a bar with round ends."""
    mask = np.zeros((height, width), np.uint8)
    r = width // 2 - 1
    cv2.line(mask, (width // 2, r + 1), (width // 2, height - r - 2), 255, 2 * r, cv2.LINE_AA)
    return mask.astype(np.float32) / 255


def _filled(width: int, height: int, points: Numbers) -> Picture:
    mask = np.zeros((height, width), np.uint8)
    cv2.fillPoly(mask, [np.round(points * 16).astype(np.int32)], 255, cv2.LINE_AA, 4)
    return mask.astype(np.float32) / np.float32(255)


def placed(x: float, y: float, turn: float, size: float, origin: tuple[float, float]) -> Picture:
    """The map that turns and sizes a sprite about a place of its own, which then lies at (x, y)."""
    c, s = size * cos(turn), size * sin(turn)
    ox, oy = origin
    return np.array([[c, -s, x - c * ox + s * oy], [s, c, y - s * ox - c * oy]], np.float32)


def still(draw: Draw) -> Callable[[float], Picture]:
    return lambda t: np.eye(3, dtype=np.float32)


def handheld(draw: Draw, pan: float = 0.0) -> Callable[[float], Picture]:
    """A camera in a hand; panned by so many pixels a frame."""
    phases, rates = draw.uniform(0, 6, 6), draw.uniform(0.05, 0.25, 6)
    zoom = draw.uniform(-0.0008, 0.0008) if pan else 0.0

    def at(t: float) -> Picture:
        shake = np.sin(rates * t + phases) - np.sin(phases)
        turn = 0.004 * shake[4]
        size = 1 + 0.003 * shake[5] + zoom * t
        return np.array(
            [
                [size * cos(turn), -sin(turn), pan * t + 3 * shake[0] + shake[1]],
                [sin(turn), size * cos(turn), 2 * shake[2] + shake[3]],
                [0, 0, 1],
            ],
            np.float32,
        )

    return at
