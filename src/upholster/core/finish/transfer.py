"""The sRGB curve (IEC 61966-2-1) as tables, for loops over pixels; values below zero are mirrored."""

import numpy as np

from upholster.core.colour import decode_srgb, encode_srgb
from upholster.core.kernels import compiled

#: Steps of the tables for each 1.0; the largest code value, and the largest square root of light, in them.
_STEPS, _CODES, _ROOTS = 4096, 4, 6

#: Light by code value, and code value by the square root of light, in which the curve is smooth down to black.
DECODED = decode_srgb(np.linspace(0, _CODES, _CODES * _STEPS + 1, dtype=np.float32))
ENCODED = encode_srgb(np.linspace(0, _ROOTS, _ROOTS * _STEPS + 1, dtype=np.float32) ** 2)


@compiled
def decoded(code, table):
    """Linear light of a code value; `table` is `DECODED`."""
    size = _between(table, abs(code) * np.float32(_STEPS))
    return size if code >= 0 else -size


@compiled
def encoded(light, table):
    """The code value of linear light; `table` is `ENCODED`."""
    size = _between(table, np.sqrt(abs(light)) * np.float32(_STEPS))
    return size if light >= 0 else -size


@compiled
def _between(table, at):
    # What is no number is black.
    at = at if at == at else np.float32(0)
    step = np.int32(min(at, np.float32(table.shape[0] - 2)))
    return table[step] + (table[step + 1] - table[step]) * (at - np.float32(step))
