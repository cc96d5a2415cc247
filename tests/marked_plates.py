"""Plates that no key can read without being told: a patch near the screen's colour, tape on the ground, glass."""

import cv2
import numpy as np

from plates import GREEN, SKIN, Plane, disc, flat

#: A patch of a costume in a colour that could be half screen, half something grey.
OLIVE = (0.24, 0.52, 0.26)
GREY = (0.5, 0.5, 0.5)
#: The colour of a pane of glass.
TINT = (0.75, 0.7, 0.5)


def patched(frame: int = 0, patch: tuple[float, float, float] = OLIVE, tape: float = 0.0) -> tuple[Plane, Plane]:
    """A disc with a patch in it before a screen, and its true matte; strips of grey tape where `tape` is 1."""
    rng = np.random.default_rng(frame)
    x = 150.0 + 4 * frame
    alpha = cv2.GaussianBlur(disc(x=x, radius=60), (0, 0), 0.8)
    inner = disc(x=x, radius=22)
    ground = flat(GREEN)
    ground[:, 20:34, 20:60] += tape * (flat(GREY) - ground)[:, 20:34, 20:60]
    colour = flat(SKIN) * (1 - inner) + flat(patch) * inner
    # Cloth is not of one colour.
    weave = cv2.GaussianBlur(rng.normal(0, 1, alpha.shape).astype(np.float32), (0, 0), 2.0)
    plate = (colour * (1 + 0.25 * weave * inner)) * alpha + ground * (1 - alpha)
    return (plate + rng.normal(0, 0.006, plate.shape)).astype(np.float32).clip(0, 1), alpha


def pane(cover: float = 0.75) -> Plane:
    """A pane of tinted glass in a frame, before a screen."""
    plate = flat(GREEN)
    plate[:, 30:150, 60:260] = np.array(SKIN, np.float32)[:, None, None]
    glass = cover * np.array(TINT) + (1 - cover) * np.array(GREEN)
    plate[:, 40:140, 70:250] = glass.astype(np.float32)[:, None, None]
    grain = np.random.default_rng(2).normal(0, 0.004, plate.shape)
    return (cv2.GaussianBlur(plate.transpose(1, 2, 0), (0, 0), 0.7).transpose(2, 0, 1) + grain).astype(np.float32)
