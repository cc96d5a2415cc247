"""Grounds that results are delivered over: a colour, a still, a clip."""

from collections.abc import Iterator
from contextlib import contextmanager

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.media.decoder.reader import Reader
from upholster.media.delivery import Ground, Plan, hex_colour
from upholster.studio.making.keying import Footage

Plane = NDArray[np.float32]


@contextmanager
def open_ground(planned: Plan, footage: Footage | None) -> Iterator[Ground | None]:
    """What lies behind the frames of a delivery; None where it wants no ground.

    A clip runs at its own rate and begins again at its end; a picture of another shape fills the frame.
    """
    if planned.form.content != "over":
        yield None
    elif footage is None:
        colour = hex_colour(planned.delivery.ground)
        yield lambda number, width, height: colour
    else:
        with Reader(*footage) as reader:
            step = footage.facts.rate / planned.timing.rate
            held: tuple[int, Plane] = (-1, np.zeros((3, 1, 1), np.float32))

            def ground(number: int, width: int, height: int) -> Plane:
                nonlocal held
                wanted = int(number * step) % footage.facts.length
                if wanted != held[0]:
                    held = (wanted, filling(reader.frame(wanted).rgb, width, height))
                return held[1]

            yield ground


def filling(rgb: Plane, width: int, height: int) -> Plane:
    """A picture scaled to cover ``width`` by ``height``, what stands over cut off evenly."""
    scale = max(width / rgb.shape[2], height / rgb.shape[1])
    size = (max(width, round(rgb.shape[2] * scale)), max(height, round(rgb.shape[1] * scale)))
    how = cv2.INTER_AREA if scale < 1 else cv2.INTER_LINEAR
    left, top = (size[0] - width) // 2, (size[1] - height) // 2
    planes = [cv2.resize(plane, size, interpolation=how)[top : top + height, left : left + width] for plane in rgb]
    return np.stack(planes).astype(np.float32)
