"""The colours of a subject where its edge is soft, estimated from both sides."""

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.core.kernels import compiled

Planes = NDArray[np.float32]

#: How strongly neighbours share their colours, and how much more so where coverage does not change between them.
_SHARED, _ALIKE = np.float32(1e-5), np.float32(1.0)
#: How often colours are gone through: at small sizes, and at larger ones.
_SMALL, _OFTEN, _SELDOM = 32, 10, 2


def foreground(rgb: Planes, cover: NDArray[np.float32]) -> Planes:
    """Straight colours ``(3, h, w)`` of what covers a picture.

    Parameters
    ----------
    rgb : (3, h, w) float32
        Encoded colours of the picture.
    cover : (h, w) float32
        Coverage 0..1.

    Notes
    -----
    Multi-level foreground estimation (Germer, Uelwer, Conrad and Harmeling 2020, "Fast multi-level foreground
    estimation"): at each size, from small to large, the two colours of every pixel that give what is seen and are like
    those of their neighbours. Only the part of the picture around soft pixels is worked on; where coverage is whole, a
    pixel keeps its colour.
    """
    left, top, width, height = cv2.boundingRect(((cover > 0.002) & (cover < 0.998)).astype(np.uint8))
    if not width:
        return rgb
    rows = slice(max(0, top - 24), min(cover.shape[0], top + height + 24))
    columns = slice(max(0, left - 24), min(cover.shape[1], left + width + 24))
    picture = np.ascontiguousarray(rgb[:, rows, columns].transpose(1, 2, 0))
    part = np.ascontiguousarray(cover[rows, columns])
    found = _multi_level(picture, part)
    out = rgb.copy()
    whole = part >= 0.998
    for c in range(3):
        out[c, rows, columns] = np.where(whole, picture[..., c], found[..., c])
    return out


def _multi_level(picture: Planes, cover: NDArray[np.float32]) -> Planes:
    height, width = cover.shape
    subject = np.full((1, 1, 3), picture[cover > 0.9].mean(axis=0) if (cover > 0.9).any() else 0.5, np.float32)
    ground = np.full((1, 1, 3), picture[cover < 0.1].mean(axis=0) if (cover < 0.1).any() else 0.5, np.float32)
    levels = int(np.ceil(np.log2(max(width, height, 2))))
    for level in range(levels + 1):
        wide, high = (max(1, round(side ** (level / levels))) for side in (width, height))
        small = cv2.resize(picture, (wide, high), interpolation=cv2.INTER_AREA).reshape(high, wide, 3)
        part = cv2.resize(cover, (wide, high), interpolation=cv2.INTER_AREA).reshape(high, wide)
        subject, ground = (
            cv2.resize(p, (wide, high), interpolation=cv2.INTER_NEAREST).reshape(high, wide, 3)
            for p in (subject, ground)
        )
        for _ in range(_OFTEN if max(wide, high) <= _SMALL else _SELDOM):
            _improve(small, part, subject, ground)
    return subject


@compiled
def _improve(picture, cover, subject, ground):
    height, width = cover.shape
    for row in range(height):
        for column in range(width):
            a = cover[row, column]
            b = np.float32(1.0) - a
            # The two by two equations of a pixel, the same for each channel but for the right side.
            a00, a01, a11 = a * a, a * b, b * b
            shared = np.float32(0.0)
            sums = np.zeros((2, 3), np.float32)
            for k in range(4):
                y = row + (k == 0) - (k == 1)
                x = column + (k == 2) - (k == 3)
                y, x = min(max(y, 0), height - 1), min(max(x, 0), width - 1)
                weight = _SHARED + _ALIKE * abs(a - cover[y, x])
                shared += weight
                for c in range(3):
                    sums[0, c] += weight * subject[y, x, c]
                    sums[1, c] += weight * ground[y, x, c]
            a00 += shared
            a11 += shared
            scale = np.float32(1.0) / (a00 * a11 - a01 * a01)
            for c in range(3):
                first = a * picture[row, column, c] + sums[0, c]
                second = b * picture[row, column, c] + sums[1, c]
                f = (a11 * first - a01 * second) * scale
                g = (a00 * second - a01 * first) * scale
                subject[row, column, c] = min(max(f, np.float32(0.0)), np.float32(1.0))
                ground[row, column, c] = min(max(g, np.float32(0.0)), np.float32(1.0))
