"""Luma and chroma constants, and the ranges of code values.

The constants are those of the published tables: Rec. ITU-R BT.601-7 (2.5.1), BT.709-6 (item 3.2)
and BT.2020-2 (table 4, non-constant luminance). Quantisation: BT.709-6 item 4.6 and BT.2100-2
table 9 for the limited and full ranges.
"""

from typing import Literal, NamedTuple

import numpy as np
from numpy.typing import NDArray

Matrix = Literal["bt601", "bt709", "bt2020"]
Range = Literal["limited", "full"]
#: Where chroma lies among the luma samples.
Siting = Literal["left", "center", "topleft", "top", "bottomleft", "bottom"]

#: Weights of red and blue in luma; green has the rest.
LUMA = {"bt601": (0.299, 0.114), "bt709": (0.2126, 0.0722), "bt2020": (0.2627, 0.0593)}


class Quantisation(NamedTuple):
    """``code = offset + scale * value`` for luma 0..1 and chroma -0.5..0.5."""

    luma_offset: float
    luma_scale: float
    chroma_offset: float
    chroma_scale: float


def luma_weights(matrix: Matrix) -> tuple[float, float, float]:
    """Weights of encoded red, green and blue in luma; they sum to one."""
    red, blue = LUMA[matrix]
    return red, 1.0 - red - blue, blue


def quantisation(depth: int, code_range: Range) -> Quantisation:
    """The code values of a component of `depth` bits.

    Limited range has luma 16..235 and chroma 16..240 at 8 bits, times a power of two above that.
    Full range has luma 0..2^n-1 and chroma centred on 2^(n-1) with the scale 2^n-1.
    """
    if code_range == "limited":
        step = float(1 << (depth - 8))
        return Quantisation(16 * step, 219 * step, 128 * step, 224 * step)
    top = float((1 << depth) - 1)
    return Quantisation(0.0, top, float(1 << (depth - 1)), top)


def encode_srgb(linear: NDArray[np.float32]) -> NDArray[np.float32]:
    """Scene-linear light to sRGB code values 0..1 (IEC 61966-2-1), the curve going on above one."""
    light = np.maximum(linear, 0)
    return np.where(light <= 0.0031308, 12.92 * light, 1.055 * light ** (1 / 2.4) - 0.055).astype(np.float32)


def decode_srgb(encoded: NDArray[np.float32]) -> NDArray[np.float32]:
    """sRGB code values 0..1 to scene-linear light: the inverse of `encode_srgb`."""
    code = np.maximum(encoded, 0)
    return np.where(code <= 0.04045, code / 12.92, ((code + 0.055) / 1.055) ** 2.4).astype(np.float32)
