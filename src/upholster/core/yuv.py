"""Between component video (Y'CbCr planes) and planar RGB, exact to rounding.

Subsampled chroma is guided by luma (`chroma`); its maps are interpolated with the four-tap
Catmull-Rom spline (Keys 1981, "Cubic convolution interpolation for digital image processing",
a = -1/2) at the sampling position the file states (ITU-T H.273 table 8).
"""

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from upholster.core.chroma import fit_lines, luma_at_chroma
from upholster.core.colour import Matrix, Range, Siting, luma_weights, quantisation
from upholster.core.kernels import clamped, compiled, inlined, over_rows

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


@inlined
def _spline_row(plane, down, j, out):
    """Row `j` of the picture, still at the plane's own width."""
    a, b, c, d = down.source[j, 0], down.source[j, 1], down.source[j, 2], down.source[j, 3]
    p, q, r, s = down.weight[j, 0], down.weight[j, 1], down.weight[j, 2], down.weight[j, 3]
    for i in range(out.shape[0]):
        out[i] = p * plane[a, i] + q * plane[b, i] + r * plane[c, i] + s * plane[d, i]


@inlined
def _spline_at(row, across, i):
    s, w = across.source, across.weight
    return w[i, 0] * row[s[i, 0]] + w[i, 1] * row[s[i, 1]] + w[i, 2] * row[s[i, 2]] + w[i, 3] * row[s[i, 3]]


@compiled
def _guided_to_rgb(luma, cb, cr, across, down, red, green_b, green_r, blue, out, first, end):
    """`cb` and `cr` are lines over luma: chroma = slope * luma + offset, on the chroma grid."""
    width = cb.slope.shape[1]
    slope_b, offset_b = np.empty(width, np.float32), np.empty(width, np.float32)
    slope_r, offset_r = np.empty(width, np.float32), np.empty(width, np.float32)
    for j in range(first, end):
        _spline_row(cb.slope, down, j, slope_b)
        _spline_row(cb.offset, down, j, offset_b)
        _spline_row(cr.slope, down, j, slope_r)
        _spline_row(cr.offset, down, j, offset_r)
        for i in range(luma.shape[1]):
            y = luma[j, i]
            u = _spline_at(slope_b, across, i) * y + _spline_at(offset_b, across, i)
            v = _spline_at(slope_r, across, i) * y + _spline_at(offset_r, across, i)
            out[0, j, i] = y + red * v
            out[1, j, i] = y - green_b * u - green_r * v
            out[2, j, i] = y + blue * u


@compiled
def _full_to_rgb(luma, cb, cr, red, green_b, green_r, blue, out, first, end):
    for j in range(first, end):
        for i in range(luma.shape[1]):
            y, u, v = luma[j, i], cb[j, i], cr[j, i]
            out[0, j, i] = y + red * v
            out[1, j, i] = y - green_b * u - green_r * v
            out[2, j, i] = y + blue * u


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
    f = np.float32
    luma = (y.astype(f) - f(q.luma_offset)) * f(1 / q.luma_scale)
    blue, red = ((c.astype(f) - f(q.chroma_offset)) * f(1 / q.chroma_scale) for c in (cb, cr))
    weights = f(2 * (1 - kr)), f(2 * (1 - kb) * kb / kg), f(2 * (1 - kr) * kr / kg), f(2 * (1 - kb))
    height, width = y.shape
    out = np.empty((3, height, width), f)
    if cb.shape == y.shape:
        over_rows(_full_to_rgb, height, luma, blue, red, *weights, out)
        return out
    left, top = _SITING[siting]
    across, down = chroma_taps(width, cb.shape[1], left), chroma_taps(height, cb.shape[0], top)
    lines = fit_lines(luma_at_chroma(luma, cb.shape, (top == 0, left == 0)), blue, red)
    over_rows(_guided_to_rgb, height, luma, *lines, across, down, *weights, out)
    return out


@compiled
def _from_rgb(rgb, kr, kg, kb, cbs, crs, lo, ls, co, cs, top, y, cb, cr, first, end):
    width = y.shape[1]
    for j in range(first, end):
        for i in range(width):
            luma = kr * rgb[0, j, i] + kg * rgb[1, j, i] + kb * rgb[2, j, i]
            u = (rgb[2, j, i] - luma) * cbs
            v = (rgb[0, j, i] - luma) * crs
            y[j, i] = clamped(lo + ls * luma + 0.5, top)
            cb[j, i] = clamped(co + cs * u + 0.5, top)
            cr[j, i] = clamped(co + cs * v + 0.5, top)


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
