"""Drops of ink that sink and billow in water before a white ground."""

from functools import cache

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import map_coordinates

from upholster.demo.camera import Picture, Shot

Field = NDArray[np.float64]

WIDTH, HEIGHT, FRAMES = 1280, 720, 72
#: The water is reckoned with on a coarser grid, in so many steps a frame.
_GRID, _STEPS = (180, 320), 2
#: How much of red, green and blue the ink swallows.
_INK = np.array([3.4, 2.6, 1.5], np.float32)
_WHITE = np.array([0.965, 0.962, 0.950], np.float32)


def shot(frame: int) -> Shot:
    """Frame `frame` of the plate with its truth: the ink's coverage is what it takes of the light, at its most."""
    thick = cv2.resize(_thickness(frame), (WIDTH, HEIGHT), interpolation=cv2.INTER_CUBIC)
    through = np.exp(-np.clip(thick, 0, None)[..., None] * _INK)
    y, x = np.mgrid[0:HEIGHT, 0:WIDTH].astype(np.float32)
    light = 1.0 - 0.10 * (((x - 600) / 900) ** 2 + ((y - 330) / 560) ** 2)
    white = _WHITE * light[..., None]
    rng = np.random.default_rng(7000 + frame)
    grain = cv2.GaussianBlur(rng.standard_normal((HEIGHT, WIDTH, 3), np.float32), (0, 0), 0.6) * 0.006
    alpha = 1 - through.min(axis=2)
    # What is seen through the ink is ink over white: its own colour is what is left where nothing shines through.
    own = (through - (1 - alpha[..., None])) / np.maximum(alpha, 1e-4)[..., None]
    plate = np.clip(white * through + grain, 0, 1)
    return Shot(plate.astype(np.float32), alpha.astype(np.float32), np.clip(own, 0, 1).astype(np.float32))


@cache
def _simulated() -> list[Picture]:
    """How thick the ink is on every frame.

    A fluid after Stam, "Stable Fluids", SIGGRAPH 1999: moved along itself, freed of divergence by a Fourier transform;
    the ink weighs it down.
    """
    height, width = _GRID
    rng = np.random.default_rng(77)
    stir = [cv2.GaussianBlur(rng.standard_normal(_GRID), (0, 0), 9) for _ in range(2)]
    across, down, ink = 5 * stir[0], 5 * stir[1], np.zeros(_GRID)
    drops = [(0, 96, 8.0), (0, 216, 6.5), (14, 150, 7.5), (26, 256, 6.0), (34, 60, 6.0)]
    rows, columns = np.mgrid[0:height, 0:width].astype(float)
    told: list[Picture] = []
    for step in range(FRAMES * _STEPS):
        for begins, at, size in drops:
            if step in range(begins * _STEPS, begins * _STEPS + 7):
                spot = np.exp(-((columns - at) ** 2 + (rows - 6) ** 2) / size**2)
                ink, down = ink + 0.36 * spot, down + 1.1 * spot
        down += 0.075 * ink
        curl = np.gradient(down, axis=1) - np.gradient(across, axis=0)
        slope_y, slope_x = np.gradient(np.abs(curl))
        steep = np.hypot(slope_x, slope_y) + 1e-5
        across, down = across + 0.10 * curl * slope_y / steep, down - 0.10 * curl * slope_x / steep
        across, down = _free(across, down)
        back = np.array([rows - down, columns - across])
        across, down, ink = (map_coordinates(each, back, order=1, mode="nearest") for each in (across, down, ink))
        ink *= 0.9985
        if step % _STEPS == _STEPS - 1:
            told.append(ink.astype(np.float32))
    return told


def _free(across: Field, down: Field) -> tuple[Field, Field]:
    """A flow without its divergence."""
    one, two = np.fft.fft2(across), np.fft.fft2(down)
    x, y = np.fft.fftfreq(across.shape[1])[None], np.fft.fftfreq(across.shape[0])[:, None]
    square = x * x + y * y
    square[0, 0] = 1
    along = (x * one + y * two) / square
    return np.real(np.fft.ifft2(one - x * along)) * 0.998, np.real(np.fft.ifft2(two - y * along)) * 0.998


def _thickness(frame: int) -> Picture:
    return _simulated()[frame]
