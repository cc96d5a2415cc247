"""What is behind the subject: the ground of a frame as the frames around it show it."""

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.core.kernels import compiled, over_rows
from upholster.core.trace.seen import Bytes

Plane = NDArray[np.float32]
Numbers = NDArray[np.float64]

#: How far away the frames are that a plate is made of, and how many of them are taken.
_AWAY, _OTHERS = (4, 8, 13, 19, 26, 34, 43), 8
#: Doubt where fewer than two frames show the ground.
UNKNOWN = 255


class Ground(NamedTuple):
    """What is behind the subject, in a part of a frame.

    Attributes
    ----------
    lab : (h, w, 3) uint8
    doubt : (h, w) uint8
        Half of the range in which the middle half of what was seen lies, in the steps of `lab`; `UNKNOWN` where
        too little was seen.
    """

    lab: Bytes
    doubt: Bytes


def others_of(number: int, length: int) -> list[int]:
    """The frames that a plate is made of: to either side, and where the clip ends, further to the other."""
    near = [number + way * away for away in _AWAY for way in (-1, 1)]
    return [n for n in near if 0 <= n < length][:_OTHERS]


class Other(NamedTuple):
    """Another frame: its picture, where its subject is known to be, and the map from its ground to the one wanted."""

    lab: Bytes
    subject: Bytes | None
    motion: Numbers


def clean_plate(others: list[Other], left: int, top: int, wanted: NDArray[np.bool_]) -> Ground:
    """The ground of a part of a frame, as other frames show it: median, and its spread.

    A pixel of another frame counts where it lies inside of that frame and not on its subject, as far as that is known.

    Parameters
    ----------
    left, top : int
        Where the part lies in the frame.
    wanted : (h, w) bool
        Where in it the ground is wanted; elsewhere it stays unknown.
    """
    height, width = wanted.shape
    count = len(others)
    stack = np.empty((count, height, width, 3), np.uint8)
    valid = np.empty((count, height, width), np.uint8)
    shift = np.array([[1, 0, -left], [0, 1, -top], [0, 0, 1.0]])
    for k, other in enumerate(others):
        matrix = shift @ other.motion
        stack[k] = cv2.warpPerspective(
            other.lab, matrix, (width, height), flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE
        )
        seen = np.full(other.lab.shape[:2], 255, np.uint8) if other.subject is None else 255 - other.subject
        valid[k] = cv2.warpPerspective(seen, matrix, (width, height), flags=cv2.INTER_NEAREST)
    out, doubt = np.zeros((height, width, 3), np.uint8), np.full((height, width), UNKNOWN, np.uint8)
    over_rows(_middle_rows, height, stack, valid, wanted, out, doubt)
    return Ground(out, doubt)


@compiled
def _middle_rows(stack, valid, wanted, out, doubt, first_row, end_row):
    count, width = stack.shape[0], stack.shape[2]
    values, seen = np.empty((count, 3 * width), np.uint8), np.empty(width, np.int32)
    for row in range(first_row, end_row):
        if not wanted[row].any():
            continue
        # What does not count is sorted behind all that does.
        seen[:] = 0
        for k in range(count):
            line = values[k]
            for column in range(width):
                there = valid[k, row, column] > 127
                seen[column] += there
                for c in range(3):
                    line[3 * column + c] = stack[k, row, column, c] if there else 255
        # Neighbours are put in order line by line, which processors do for many pixels at once.
        for end in range(count - 1, 0, -1):
            for k in range(end):
                low, high = values[k], values[k + 1]
                for place in range(3 * width):
                    one, two = low[place], high[place]
                    low[place] = min(one, two)
                    high[place] = max(one, two)
        for column in range(width):
            some = seen[column]
            if some < 2 or not wanted[row, column]:
                continue
            upper, spread = (3 * some) // 4 if some > 3 else some - 1, np.int32(0)
            for c in range(3):
                place = 3 * column + c
                middle = np.int32(values[(some - 1) // 2, place]) + values[some // 2, place]
                out[row, column, c] = middle // 2
                spread = max(spread, np.int32(values[upper, place]) - values[some // 4, place])
            doubt[row, column] = min(spread // 2, 254)


def residual(lab: Bytes, ground: Ground) -> Plane:
    """Least distance of each pixel from the ground within a pixel around, ``(h, w)`` float32, in steps of `lab`."""
    out = np.empty(lab.shape[:2], np.float32)
    over_rows(_residual_rows, len(lab), lab, ground.lab, out)
    return out


@compiled
def _residual_rows(lab, ground, out, first_row, end_row):
    height, width = out.shape
    for row in range(first_row, end_row):
        for column in range(width):
            best = np.int32(1 << 30)
            for dy in range(-1, 2):
                y = min(max(row + dy, 0), height - 1)
                for dx in range(-1, 2):
                    x = min(max(column + dx, 0), width - 1)
                    light = np.int32(lab[row, column, 0]) - ground[y, x, 0]
                    a = np.int32(lab[row, column, 1]) - ground[y, x, 1]
                    b = np.int32(lab[row, column, 2]) - ground[y, x, 2]
                    # Lightness is what shadows change.
                    far = (light * light) // 2 + 2 * (a * a + b * b)
                    best = min(best, far)
            out[row, column] = np.sqrt(np.float32(best))
