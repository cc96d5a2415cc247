"""The marionette before a screen too small for the room: wall, floor, stands, tape and a lamp in view."""

from functools import cache

import cv2
import numpy as np

from upholster.demo import marionette
from upholster.demo.camera import Picture, Shot, soft, uneven_light

FRAMES = 48
#: The screen: left, top, right, bottom.
_SCREEN = 300, 44, 990, 706

_WALL, _FLOOR, _STAND, _TAPE = (0.33, 0.30, 0.27), (0.24, 0.18, 0.13), (0.07, 0.07, 0.08), (0.86, 0.84, 0.76)


def shot(frame: int) -> Shot:
    """Frame `frame` of the plate with its truth."""
    return marionette.shot(frame + 20, room)


@cache
def _around() -> tuple[Picture, Picture]:
    """What stands around the screen, ``(h, w, 3)``, and where it hides the screen, ``(h, w, 1)``."""
    width, height = marionette.WIDTH, marionette.HEIGHT
    left, top, right, bottom = _SCREEN
    picture = np.empty((height, width, 3), np.float32)
    picture[:] = _WALL
    picture[600:] = _FLOOR
    for x in range(-200, width, 90):
        cv2.line(picture, (x, height), (x + 120, 600), (0.17, 0.12, 0.09), 2, cv2.LINE_AA)
    picture *= uneven_light(width, height, folds=0.01, vignette=0.5)
    hides = np.ones((height, width), np.float32)
    hides[top:bottom, left:right] = 0
    for x in (left - 8, right + 8):
        cv2.line(picture, (x, 20), (x, 660), _STAND, 9, cv2.LINE_AA)
        for foot in (-46, 46):
            cv2.line(picture, (x, 630), (x + foot, 700), _STAND, 7, cv2.LINE_AA)
    cv2.line(picture, (left - 30, top - 8), (right + 30, top - 8), _STAND, 8, cv2.LINE_AA)
    for x, y in ((left, top), (right, top), (left, bottom), (right, bottom)):
        # Tape over the corners, on the screen as well.
        box = cv2.boxPoints(((x, y), (46, 18), 38 if (x == left) == (y == top) else -38)).astype(np.int32)
        cv2.fillPoly(picture, [box], _TAPE, cv2.LINE_AA)
        cv2.fillPoly(hides, [box], 1.0)
    cv2.rectangle(picture, (60, 60), (190, 150), _STAND, -1, cv2.LINE_AA)
    cv2.rectangle(picture, (72, 72), (178, 138), (1.0, 0.98, 0.9), -1, cv2.LINE_AA)
    cv2.line(picture, (125, 150), (125, 690), _STAND, 6, cv2.LINE_AA)
    return picture, soft(hides, 0.8)[..., None]


def room(screen: Picture) -> Picture:
    """A screen with what stands around it."""
    picture, hides = _around()
    return picture * hides + screen * (1 - hides)
