"""The raw matte: coverage as the colours alone tell it, given what is known of the screen."""

import numpy as np
from numpy.typing import NDArray

from upholster.core.documents.screen import Kind
from upholster.core.grids import UpsampledGrid, read_colours, read_row
from upholster.core.kernels import compiled, inlined, over_rows
from upholster.core.pipeline.stage import Changes, Context, Picture, Stage, covered
from upholster.core.screen.metric import TO_METRIC

Plane = NDArray[np.float32]

#: Coverage from which a subject may be shaded instead of half covered, and from which it surely may.
_MOSTLY, _SOLIDLY = 0.4, 0.8
#: How much a shade of one counts against what is seen, and the pixels of a row looked at together.
_SHADE, _RUN = 0.03, 32


def _run(picture: Picture, context: Context) -> Changes:
    return covered(raw_matte(picture.rgb, context.screen.kind, picture.screen, picture.subject), raw=True)


STAGE = Stage("raw_matte", ("rgb", "screen", "subject"), _run)


def raw_matte(plate: Plane, kind: Kind, screen: UpsampledGrid, subject: UpsampledGrid) -> Plane:
    """Coverage 0..1 of the subject in ``(3, h, w)`` `plate`, before any choice of what is clear and what solid.

    Parameters
    ----------
    screen, subject : UpsampledGrid
        The clean plate, and the `subject_colours`, laid over the plate. A fourth plane of the latter says how much of
        what is then missing is covered all the same.
    """
    height, width = plate.shape[1:]
    out = np.empty((height, width), np.float32)
    if kind == "dark":
        over_rows(_emission, height, plate, screen, out)
    elif kind == "light":
        over_rows(_absorption, height, plate, screen, out)
    else:
        over_rows(_projection, height, plate, screen, subject, TO_METRIC.T @ TO_METRIC, out)
    return out


@compiled
def _emission(plate, screen, out, first, end):
    """alpha = max over primaries of (C - B) / (1 - B): the least coverage whose colour stays within 1."""
    wide = np.empty(out.shape[-1], np.float32)
    one = np.float32(1)
    for j in range(first, end):
        out[j] = np.float32(0)
        for c in range(3):
            read_row(screen, c, j, wide)
            for i in range(out.shape[1]):
                cover = (plate[c, j, i] - wide[i]) / max(one - wide[i], np.float32(1e-3))
                out[j, i] = min(max(out[j, i], cover), one)


@compiled
def _absorption(plate, screen, out, first, end):
    """alpha = max over primaries of (B - C) / B: the mirror of emission."""
    wide = np.empty(out.shape[-1], np.float32)
    for j in range(first, end):
        out[j] = np.float32(0)
        for c in range(3):
            read_row(screen, c, j, wide)
            for i in range(out.shape[1]):
                cover = (wide[i] - plate[c, j, i]) / max(wide[i], np.float32(1e-3))
                out[j, i] = min(max(out[j, i], cover), np.float32(1))


@compiled
def _projection(plate, screen, subject, metric, out, first, end):
    """alpha = <C - B, F - B> / <F - B, F - B>, local B and F, in the key's metric, within 0..1.

    Where that is mostly solid, `_shaded` has a second look.
    """
    width = out.shape[-1]
    br, bg, bb = np.empty(width, np.float32), np.empty(width, np.float32), np.empty(width, np.float32)
    fr, fg, fb = np.empty(width, np.float32), np.empty(width, np.float32), np.empty(width, np.float32)
    m = metric
    for j in range(first, end):
        read_colours(screen, j, br, bg, bb)
        read_colours(subject, j, fr, fg, fb)
        for i in range(width):
            dr, dg, db = fr[i] - br[i], fg[i] - bg[i], fb[i] - bb[i]
            vr = m[0, 0] * dr + m[0, 1] * dg + m[0, 2] * db
            vg = m[1, 0] * dr + m[1, 1] * dg + m[1, 2] * db
            vb = m[2, 0] * dr + m[2, 1] * dg + m[2, 2] * db
            length = max(vr * dr + vg * dg + vb * db, np.float32(1e-4))
            along = (plate[0, j, i] - br[i]) * vr + (plate[1, j, i] - bg[i]) * vg + (plate[2, j, i] - bb[i]) * vb
            out[j, i] = min(max(along / length, np.float32(0)), np.float32(1))
        for left in range(0, width, _RUN):
            right = min(left + _RUN, width)
            within = np.float32(0)
            # Shade lies over more than a pixel: every other one tells.
            for i in range(left, right, 2):
                within = max(within, min(out[j, i] - np.float32(_MOSTLY), np.float32(0.97) - out[j, i]))
            if within > 0:
                cut = slice(left, right)
                seen = plate[0, j, cut], plate[1, j, cut], plate[2, j, cut]
                _shaded(seen, (br[cut], bg[cut], bb[cut]), (fr[cut], fg[cut], fb[cut]), m, out[j, cut])
        if subject.rows.shape[0] > 3:
            solid = fr
            read_row(subject, 3, j, solid)
            for i in range(width):
                out[j, i] += (np.float32(1) - out[j, i]) * solid[i]


@inlined
def _shaded(seen, ground, own, metric, out):
    """Raises coverage where the subject's colour at another brightness explains a pixel better.

    With p = s a and q = 1 - a for a subject shaded by s, the least squares of ``C = p F + q B`` and of
    s = 1, which counts for `_SHADE` of the distance between F and B.
    """
    one, zero, two = np.float32(1), np.float32(0), np.float32(2)
    rate, mostly, shade = np.float32(1 / (_SOLIDLY - _MOSTLY)), np.float32(_MOSTLY), np.float32(_SHADE)
    # The metric is symmetric.
    xx, xy, xz, yy, yz, zz = metric[0, 0], metric[0, 1], metric[0, 2], metric[1, 1], metric[1, 2], metric[2, 2]
    (cx, cy, cz), (bx, by, bz), (fx, fy, fz) = seen, ground, own
    for i in range(out.shape[0]):
        ux = xx * fx[i] + xy * fy[i] + xz * fz[i]
        uy = xy * fx[i] + yy * fy[i] + yz * fz[i]
        uz = xz * fx[i] + yz * fy[i] + zz * fz[i]
        vx = xx * bx[i] + xy * by[i] + xz * bz[i]
        vy = xy * bx[i] + yy * by[i] + yz * bz[i]
        vz = xz * bx[i] + yz * by[i] + zz * bz[i]
        ff = ux * fx[i] + uy * fy[i] + uz * fz[i]
        fb = ux * bx[i] + uy * by[i] + uz * bz[i]
        bb = vx * bx[i] + vy * by[i] + vz * bz[i]
        prior = shade * (ff + bb - two * fb)
        ff, fb, bb = ff + prior, fb + prior, bb + prior
        cf = ux * cx[i] + uy * cy[i] + uz * cz[i] + prior
        cb = vx * cx[i] + vy * cy[i] + vz * cz[i] + prior
        share = (ff * cb - fb * cf) / max(ff * bb - fb * fb, np.float32(1e-9))
        alpha = out[i]
        better = min(max(one - share, alpha), one)
        out[i] = alpha + (better - alpha) * min(max((alpha - mostly) * rate, zero), one)
