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


#: Where tracking marks are stuck, on a screen that reaches beyond the picture of 640 by 360 pixels.
LATTICE = [(x + (25 * y) % 30, y + (15 * x) % 20) for x in range(-75, 750, 100) for y in range(-40, 440, 93)]


def taped(n: int, pan: float = 0.0) -> tuple[Plane, Plane, Plane]:
    """A ball that rolls before a screen with crosses of tape, which a camera pans over: plate, coverage, and tape."""
    tape = np.zeros((360, 640), np.float32)
    for x, y in LATTICE:
        at = round(x + pan * n), round(y)
        for long, high in ((7, 1), (1, 7)):
            cv2.rectangle(tape, (at[0] - long, at[1] - high), (at[0] + long, at[1] + high), 1, -1)
    tape = cv2.GaussianBlur(tape, (0, 0), 0.6)
    alpha = disc(640, 360, x=270 + 8 * n, y=195, radius=80)
    ground = flat(GREEN, 640, 360) * (1 - tape) + flat((0.75, 0.7, 0.65), 640, 360) * tape
    return flat(SKIN, 640, 360) * alpha + ground * (1 - alpha), alpha, tape
