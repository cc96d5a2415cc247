"""Between component video (Y'CbCr planes) and planar RGB, exact to rounding.

Chroma is reconstructed with the four-tap Catmull-Rom spline (Keys 1981, "Cubic convolution
interpolation for digital image processing", a = -1/2) at the sampling position the file states
(ITU-T H.273 table 8, "chroma_sample_loc_type").
"""

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from upholster.core.colour import Matrix, Range, Siting, luma_weights, quantisation
from upholster.core.kernels import compiled, over_rows

#: Position of the first chroma sample, in luma samples, for a subsampling of two.
_SITING = {
    "left": (0.0, 0.5),
    "center": (0.5, 0.5),
    "topleft": (0.0, 0.0),
    "top": (0.5, 0.0),
    "bottomleft": (0.0, 1.0),
    "bottom": (0.5, 1.0),
}


class Taps(NamedTuple):
    """For each output sample: four source indices and four weights that sum to one."""

    source: NDArray[np.int32]
    weight: NDArray[np.float32]


def chroma_taps(size: int, chroma_size: int, offset: float) -> Taps:
    """Spline taps that bring `chroma_size` samples to `size`.

    Parameters
    ----------
    offset : float
        Where the first chroma sample lies, in luma samples.
    """
    ratio = max(1, round(size / chroma_size))
    at = (np.arange(size) - (offset if ratio > 1 else 0.0)) / ratio
    base = np.floor(at).astype(np.int64)
    t = at - base
    weight = np.stack(
        [
            ((-0.5 * t + 1.0) * t - 0.5) * t,
            (1.5 * t - 2.5) * t * t + 1.0,
            ((-1.5 * t + 2.0) * t + 0.5) * t,
            (0.5 * t - 0.5) * t * t,
        ],
        axis=1,
    )
    index = np.clip(base[:, None] + np.arange(-1, 3), 0, chroma_size - 1)
    return Taps(index.astype(np.int32), weight.astype(np.float32))


@compiled
def _to_rgb(y, cb, cr, xi, xw, yi, yw, ly, ls, co, cs, red, grn_b, grn_r, blu, out, first, end):
    height, width = y.shape
    cwidth = cb.shape[1]
    row_b = np.empty(cwidth, np.float32)
    row_r = np.empty(cwidth, np.float32)
    flat = cwidth == width
    for j in range(first, end):
        a, b, c, d = yi[j, 0], yi[j, 1], yi[j, 2], yi[j, 3]
        p, q, r, s = yw[j, 0], yw[j, 1], yw[j, 2], yw[j, 3]
        for i in range(cwidth):
            row_b[i] = (p * cb[a, i] + q * cb[b, i] + r * cb[c, i] + s * cb[d, i] - co) * cs
            row_r[i] = (p * cr[a, i] + q * cr[b, i] + r * cr[c, i] + s * cr[d, i] - co) * cs
        for i in range(width):
            if flat:
                u = row_b[i]
                v = row_r[i]
            else:
                e, f, g, h = xi[i, 0], xi[i, 1], xi[i, 2], xi[i, 3]
                k, m, n, o = xw[i, 0], xw[i, 1], xw[i, 2], xw[i, 3]
                u = k * row_b[e] + m * row_b[f] + n * row_b[g] + o * row_b[h]
                v = k * row_r[e] + m * row_r[f] + n * row_r[g] + o * row_r[h]
            luma = (y[j, i] - ly) * ls
            out[0, j, i] = luma + red * v
            out[1, j, i] = luma - grn_b * u - grn_r * v
            out[2, j, i] = luma + blu * u


def to_rgb(
    y: NDArray[np.unsignedinteger],
    cb: NDArray[np.unsignedinteger],
    cr: NDArray[np.unsignedinteger],
    *,
    depth: int,
    matrix: Matrix,
    code_range: Range,
    siting: Siting = "left",
) -> NDArray[np.float32]:
    """Component planes to encoded RGB.

    Parameters
    ----------
    y, cb, cr : (height, width) and subsampled unsigned integer arrays
        Code values of `depth` bits.

    Returns
    -------
    (3, height, width) float32
        Encoded RGB; values outside 0..1 are kept, since limited-range video has them.

    Notes
    -----
    The inverse of BT.601-7 2.5.1 / BT.709-6 item 3.2 / BT.2020-2 table 4:
    ``R = Y + 2(1-Kr)Cr``, ``B = Y + 2(1-Kb)Cb``, green from the luma equation.
    """
    kr, kg, kb = luma_weights(matrix)
    q = quantisation(depth, code_range)
    height, width = y.shape
    left, top = _SITING[siting]
    across = chroma_taps(width, cb.shape[1], left)
    down = chroma_taps(height, cb.shape[0], top)
    out = np.empty((3, height, width), np.float32)
    f = np.float32
    over_rows(
        _to_rgb,
        height,
        y,
        cb,
        cr,
        across.source,
        across.weight,
        down.source,
        down.weight,
        f(q.luma_offset),
        f(1 / q.luma_scale),
        f(q.chroma_offset),
        f(1 / q.chroma_scale),
        f(2 * (1 - kr)),
        f(2 * (1 - kb) * kb / kg),
        f(2 * (1 - kr) * kr / kg),
        f(2 * (1 - kb)),
        out,
    )
    return out


@compiled
def _from_rgb(rgb, kr, kg, kb, cbs, crs, lo, ls, co, cs, top, y, cb, cr, first, end):
    width = y.shape[1]
    for j in range(first, end):
        for i in range(width):
            luma = kr * rgb[0, j, i] + kg * rgb[1, j, i] + kb * rgb[2, j, i]
            u = (rgb[2, j, i] - luma) * cbs
            v = (rgb[0, j, i] - luma) * crs
            y[j, i] = min(max(lo + ls * luma + 0.5, 0.0), top)
            cb[j, i] = min(max(co + cs * u + 0.5, 0.0), top)
            cr[j, i] = min(max(co + cs * v + 0.5, 0.0), top)


def from_rgb(
    rgb: NDArray[np.float32], *, depth: int, matrix: Matrix, code_range: Range
) -> tuple[NDArray[np.uint16], NDArray[np.uint16], NDArray[np.uint16]]:
    """Encoded RGB ``(3, height, width)`` to full-resolution Y', Cb and Cr code values of `depth` bits."""
    kr, kg, kb = luma_weights(matrix)
    q = quantisation(depth, code_range)
    height, width = rgb.shape[1:]
    y, cb, cr = (np.empty((height, width), np.uint16) for _ in range(3))
    f = np.float32
    over_rows(
        _from_rgb,
        height,
        rgb,
        f(kr),
        f(kg),
        f(kb),
        f(0.5 / (1 - kb)),
        f(0.5 / (1 - kr)),
        f(q.luma_offset),
        f(q.luma_scale),
        f(q.chroma_offset),
        f(q.chroma_scale),
        f((1 << depth) - 1),
        y,
        cb,
        cr,
    )
    return y, cb, cr
