"""Pictures put elsewhere: scaled, turned and moved by fractions of a pixel, premultiplied."""

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

Plane = NDArray[np.float32]
#: From places in a picture to places in another: ``(2, 3)``, places at pixel centres are halves.
Matrix = NDArray[np.float64]


class Patch(NamedTuple):
    """A part of a picture: its upper left corner there, and premultiplied RGBA ``(h, w, 4)`` float32."""

    left: int
    top: int
    rgba: Plane


def placed(rgba: Plane, matrix: Matrix, width: int, height: int) -> Patch | None:
    """A premultiplied picture ``(h, w, 4)`` laid into one of `width` by `height`; None where it is not seen there.

    Notes
    -----
    Made smaller, each pixel is the mean of what it covers (area filter), else bilinear between four: neither goes
    beyond the values around, so edges do not ring. What is moved by whole pixels alone stays as it is, bit for bit.
    """
    shift = matrix[:, 2]
    if np.array_equal(matrix[:, :2], np.eye(2)) and np.array_equal(shift, np.rint(shift)):
        return _cut(rgba, int(shift[0]), int(shift[1]), width, height)
    rgba, matrix = _shrunk(rgba, matrix)
    tall, wide = rgba.shape[:2]
    corners = matrix[:, :2] @ np.array([[0, wide, 0, wide], [0, 0, tall, tall]], float) + matrix[:, 2:]
    left, top = (max(0, int(np.floor(low)) - 1) for low in corners.min(axis=1))
    right, bottom = (min(n, int(np.ceil(c)) + 1) for n, c in zip((width, height), corners.max(axis=1), strict=True))
    if left >= right or top >= bottom:
        return None
    # OpenCV counts from the centres of pixels.
    centred = matrix.copy()
    centred[:, 2] += matrix[:, :2] @ (0.5, 0.5) - 0.5 - (left, top)
    out = cv2.warpAffine(
        rgba, centred, (right - left, bottom - top), flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT
    )
    return Patch(left, top, out)


def _cut(rgba: Plane, x: int, y: int, width: int, height: int) -> Patch | None:
    left, top = max(0, x), max(0, y)
    right, bottom = min(width, x + rgba.shape[1]), min(height, y + rgba.shape[0])
    if left >= right or top >= bottom:
        return None
    return Patch(left, top, rgba[top - y : bottom - y, left - x : right - x])


def _shrunk(rgba: Plane, matrix: Matrix) -> tuple[Plane, Matrix]:
    """A picture brought to about the size it is shown in, where that is smaller, and the matrix from there."""
    tall, wide = rgba.shape[:2]
    across, down = np.hypot(*matrix[:, 0]), np.hypot(*matrix[:, 1])
    size = (max(1, round(wide * min(1.0, across))), max(1, round(tall * min(1.0, down))))
    if size == (wide, tall):
        return rgba, matrix
    small = cv2.resize(rgba, size, interpolation=cv2.INTER_AREA)
    grown = matrix.copy()
    grown[:, 0] *= wide / size[0]
    grown[:, 1] *= tall / size[1]
    return small, grown
