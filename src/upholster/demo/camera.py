"""What a camera does to a drawn scene: lens blur, uneven light, spill and grain."""

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

Picture = NDArray[np.float32]


class Shot(NamedTuple):
    """One frame as filmed, and the truth behind it.

    Attributes
    ----------
    plate : (h, w, 3) float32
    alpha : (h, w) float32
    rgb : (h, w, 3) float32
        Straight colour of the subject, spill not included.
    """

    plate: Picture
    alpha: Picture
    rgb: Picture


class Layer:
    """A premultiplied picture that things are laid into."""

    def __init__(self, width: int, height: int) -> None:
        self.rgb = np.zeros((height, width, 3), np.float32)
        self.alpha = np.zeros((height, width), np.float32)

    def lay(self, colour: Picture, cover: Picture) -> None:
        """Lay a straight `colour`, one or a picture of them, with `cover` over what is here."""
        x, y, w, h = cv2.boundingRect((cover > 0).astype(np.uint8))
        part = np.s_[y : y + h, x : x + w]
        over = cover[part]
        colour = colour[part] if colour.ndim == 3 else colour
        self.rgb[part] = colour * over[..., None] + self.rgb[part] * (1 - over)[..., None]
        self.alpha[part] = over + self.alpha[part] * (1 - over)

    def lay_sprite(self, sprite: Picture, matrix: Picture) -> None:
        """Lay a premultiplied RGBA `sprite` through the 2x3 `matrix`."""
        h, w = sprite.shape[:2]
        corners = np.array([[0, 0, 1], [w, 0, 1], [0, h, 1], [w, h, 1]], np.float32) @ matrix.T
        (x0, y0), (x1, y1) = np.floor(corners.min(0)).astype(int) - 1, np.ceil(corners.max(0)).astype(int) + 2
        x0, y0 = max(x0, 0), max(y0, 0)
        x1, y1 = min(x1, self.alpha.shape[1]), min(y1, self.alpha.shape[0])
        if x1 <= x0 or y1 <= y0:
            return
        local = matrix.copy()
        local[:, 2] -= (x0, y0)
        drawn = cv2.warpAffine(sprite, local, (x1 - x0, y1 - y0), flags=cv2.INTER_AREA)
        keep = 1 - drawn[..., 3]
        self.rgb[y0:y1, x0:x1] = drawn[..., :3] + self.rgb[y0:y1, x0:x1] * keep[..., None]
        self.alpha[y0:y1, x0:x1] = drawn[..., 3] + self.alpha[y0:y1, x0:x1] * keep


def strokes(width: int, height: int, lines: list[NDArray[np.float32]], thickness: int = 1) -> Picture:
    """Anti-aliased coverage of poly-lines given in pixels."""
    mask = np.zeros((height, width), np.uint8)
    cv2.polylines(mask, [np.round(line * 16).astype(np.int32) for line in lines], False, 255, thickness, cv2.LINE_AA, 4)
    return mask.astype(np.float32) / np.float32(255)


def polygon(width: int, height: int, points: NDArray[np.float32]) -> Picture:
    """Anti-aliased coverage of a polygon given in pixels."""
    mask = np.zeros((height, width), np.uint8)
    cv2.fillPoly(mask, [np.round(points * 16).astype(np.int32)], 255, cv2.LINE_AA, 4)
    return mask.astype(np.float32) / np.float32(255)


def soft(mask: Picture, sigma: float) -> Picture:
    """A wide blur, done at a quarter of the size."""
    small = cv2.resize(mask, None, fx=0.25, fy=0.25, interpolation=cv2.INTER_AREA)
    return cv2.resize(cv2.GaussianBlur(small, (0, 0), sigma / 4), mask.shape[::-1], interpolation=cv2.INTER_LINEAR)


def film(
    exposures: list[Layer],
    screen: Picture,
    grain: np.random.Generator,
    *,
    blur: float,
    spill: float,
    noise: float,
) -> Shot:
    """Expose a frame: the moments of an open shutter, averaged over the screen behind them.

    Parameters
    ----------
    screen : (h, w, 3) float32
    blur : float
        Sigma of the lens in pixels.
    spill : float
        How much of the screen's light is thrown on the subject's rim.
    noise : float
        Sigma of the grain at mid grey.
    """
    rgb = np.mean([e.rgb for e in exposures], axis=0)
    alpha = np.mean([e.alpha for e in exposures], axis=0)
    rgb, alpha = (cv2.GaussianBlur(p, (0, 0), blur) for p in (rgb, alpha))
    straight = rgb / np.maximum(alpha, 1e-4)[..., None]
    rim = np.clip(1.25 - soft(alpha, 14), 0.15, 1) * spill
    lit = straight + screen * rim[..., None]
    plate = lit * alpha[..., None] + screen * (1 - alpha[..., None])
    shot_noise = np.sqrt(np.clip(plate.mean(axis=2, keepdims=True), 0.02, 1) * 2)
    dots = grain.standard_normal(plate.shape, np.float32) * 0.6 + grain.standard_normal((*alpha.shape, 1), np.float32)
    plate = plate + cv2.GaussianBlur(dots, (0, 0), 0.6) * noise * shot_noise
    return Shot(np.clip(plate, 0, 1).astype(np.float32), alpha.astype(np.float32), straight.astype(np.float32))


def uneven_light(width: int, height: int, *, folds: float, vignette: float) -> Picture:
    """Brightness ``(h, w, 1)`` of a hung cloth: a lamp's pool, soft folds, the lens darkening the corners."""
    y, x = np.mgrid[0:height, 0:width].astype(np.float32)
    x, y = x / width, y / height
    pool = 1.06 - 0.55 * ((x - 0.36) ** 2 + 0.6 * (y - 0.34) ** 2)
    drape = folds * (np.sin(x * 21 + 1.8 * np.sin(y * 2.2)) * 0.6 + np.sin(x * 47 + y * 1.3) * 0.4)
    corners = 1 - vignette * ((x - 0.5) ** 2 + (y - 0.5) ** 2)
    return ((pool + drape * (0.4 + 0.6 * y)) * corners)[..., None].astype(np.float32)
