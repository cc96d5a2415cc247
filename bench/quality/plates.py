"""What a plate of the bench is."""

from typing import NamedTuple

from upholster.demo.camera import Picture

WIDTH, HEIGHT, FRAMES = 960, 540, 8


class Truth(NamedTuple):
    """A plate ``(h, w, 3)`` with its coverage, the subject's straight colour, and how much is hair and glass."""

    plate: Picture
    alpha: Picture
    rgb: Picture
    hair: Picture | None = None
    glass: Picture | None = None
