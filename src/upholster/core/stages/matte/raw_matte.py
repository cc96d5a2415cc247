"""The raw matte: coverage as the colours alone tell it, given what is known of the screen."""

import numpy as np
from numpy.typing import NDArray

from upholster.core.colour import luma_weights
from upholster.core.documents.screen import Kind
from upholster.core.grids import UpsampledGrid, read_colours, read_row
from upholster.core.kernels import compiled, inlined, over_rows
from upholster.core.pipeline.stage import Changes, Context, Picture, Stage, covered
from upholster.core.screen.metric import TO_METRIC

Plane = NDArray[np.float32]

_R, _G, _B = (np.float32(weight) for weight in luma_weights("bt709"))

#: Coverage from which a subject may be shaded instead of half covered, and from which it surely may.
MOSTLY, SOLIDLY = 0.4, 0.8
#: How far a colour lies beside the way from the screen to the subject, in the key's metric and as the sine of the
#: angle, from which it may be of neither, and from which it surely is; and the least luma by which purity is told.
BESIDE, ANGLE, LEAST_LUMA = (0.02, 0.05), (0.15, 0.3), 0.02
#: Distance from the screen, in the key's metric, up to which a pixel is bare whatever holds of its cell, and from which
#: it need not be.
BARE = 0.03, 0.08
#: How much a shade of one counts against what is seen, and the pixels of a row looked at together.
SHADE, _RUN = 0.03, 32


def _run(picture: Picture, context: Context) -> Changes:
    return covered(raw_matte(picture.rgb, context.screen.kind, picture.screen, picture.subject), raw=True)


STAGE = Stage("raw_matte", ("rgb", "screen", "subject"), _run)


def raw_matte(plate: Plane, kind: Kind, screen: UpsampledGrid, subject: UpsampledGrid) -> Plane:
    """Coverage 0..1 of the subject in ``(3, h, w)`` `plate`, before any choice of what is clear and what solid.

    Parameters
    ----------
    screen, subject : UpsampledGrid
        The clean plate, and the `subject_colours`, laid over the plate. A fourth plane of the latter says how much of
        what is then missing is covered all the same, unless it is bare screen.
    """
    height, width = plate.shape[1:]
    out = np.empty((height, width), np.float32)
    if kind == "dark":
        over_rows(_emission, height, plate, screen, out)
    elif kind == "light":
        over_rows(_absorption, height, plate, screen, out)
    else:
        over_rows(_projection, height, plate, screen, subject, TO_METRIC.T @ TO_METRIC, kind == "screen", out)
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
def _projection(plate, screen, subject, metric, pure, out, first, end):
    """alpha = <C - B, F - B> / <F - B, F - B>, local B and F, in the key's metric, within 0..1.

    Where that is mostly solid, `_shaded` has a second look; where it is not, and the colour does not lie between the
    two, `_other_colours`, if the screen has a colour as `pure` as that needs.
    """
    width = out.shape[-1]
    br, bg, bb = np.empty(width, np.float32), np.empty(width, np.float32), np.empty(width, np.float32)
    fr, fg, fb = np.empty(width, np.float32), np.empty(width, np.float32), np.empty(width, np.float32)
    apart, beside, pair = np.empty(width, np.float32), np.empty(width, np.float32), np.empty(width, np.float32)
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
            cr, cg, cb = plate[0, j, i] - br[i], plate[1, j, i] - bg[i], plate[2, j, i] - bb[i]
            along = cr * vr + cg * vg + cb * vb
            out[j, i] = min(max(along / length, np.float32(0)), np.float32(1))
            squares = m[0, 0] * cr * cr + m[1, 1] * cg * cg + m[2, 2] * cb * cb
            apart[i] = squares + np.float32(2) * (m[0, 1] * cr * cg + m[0, 2] * cr * cb + m[1, 2] * cg * cb)
            # What is solid already needs no second look.
            beside[i] = apart[i] - along * along / length if out[j, i] < np.float32(0.97) else np.float32(0)
        for i in range(width - 1):
            pair[i] = beside[i] + beside[i + 1]
        pair[width - 1] = beside[width - 1]
        for left in range(0, width, _RUN):
            right = min(left + _RUN, width)
            within, others = np.float32(0), np.float32(0)
            # Shade lies over more than a pixel: every other one tells. Of other colours two tell together.
            for i in range(left, right, 2):
                within = max(within, min(out[j, i] - np.float32(MOSTLY), np.float32(0.97) - out[j, i]))
                others = max(others, pair[i])
            others -= np.float32(BESIDE[0] ** 2)
            if within > 0 or others > 0:
                cut = slice(left, right)
                seen = plate[0, j, cut], plate[1, j, cut], plate[2, j, cut]
                ground, own = (br[cut], bg[cut], bb[cut]), (fr[cut], fg[cut], fb[cut])
                if within > 0:
                    _shaded(seen, ground, own, m, out[j, cut])
                if others > 0 and pure:
                    _other_colours(seen, ground, own, apart[cut], beside[cut], out[j, cut])
        if subject.rows.shape[0] > 3:
            solid = fr
            read_row(subject, 3, j, solid)
            for i in range(width):
                # Rounding may leave less than nothing.
                away = np.sqrt(max(apart[i], np.float32(0))) - np.float32(BARE[0])
                there = min(max(away * np.float32(1 / (BARE[1] - BARE[0])), np.float32(0)), np.float32(1))
                out[j, i] += (np.float32(1) - out[j, i]) * solid[i] * there


@inlined
def _luma_and_colour(red, green, blue):
    luma = _R * red + _G * green + _B * blue
    return luma, blue - luma, red - luma


@inlined
def _other_colours(seen, ground, own, apart, beside, out):
    """Raises coverage to what a pixel has of the screen's colour alone, where it is no mixture of screen and subject.

    Whatever else covers it has none of the screen's colour, or less than the subject has. Purity, colour over luma, is
    looked at besides: shade takes colour, too.
    """
    one, zero, least = np.float32(1), np.float32(0), np.float32(LEAST_LUMA)
    from_away, from_sine = np.float32(BESIDE[0]), np.float32(ANGLE[0])
    rate_away, rate_sine = np.float32(1 / (BESIDE[1] - BESIDE[0])), np.float32(1 / (ANGLE[1] - ANGLE[0]))
    for i in range(out.shape[0]):
        away = np.sqrt(max(beside[i], zero))
        sine = away / np.sqrt(max(apart[i], np.float32(1e-6)))
        sure = min(max((away - from_away) * rate_away, zero), one) * min(max((sine - from_sine) * rate_sine, zero), one)
        below, ground_x, ground_y = _luma_and_colour(ground[0][i], ground[1][i], ground[2][i])
        luma, x, y = _luma_and_colour(seen[0][i], seen[1][i], seen[2][i])
        _, own_x, own_y = _luma_and_colour(own[0][i], own[1][i], own[2][i])
        strength = one / max(ground_x * ground_x + ground_y * ground_y, np.float32(0.02**2))
        share = (x * ground_x + y * ground_y) * strength
        share = max(share, share * max(below, least) / max(luma, least))
        others = min((own_x * ground_x + own_y * ground_y) * strength, zero)
        covered = min(max((one - share) / (one - others), zero), one)
        out[i] += max(covered - out[i], zero) * sure


@inlined
def _shaded(seen, ground, own, metric, out):
    """Raises coverage where the subject's colour at another brightness explains a pixel better.

    With p = s a and q = 1 - a for a subject shaded by s, the least squares of ``C = p F + q B`` and of
    s = 1, which counts for `SHADE` of the distance between F and B.
    """
    one, zero, two = np.float32(1), np.float32(0), np.float32(2)
    rate, mostly, shade = np.float32(1 / (SOLIDLY - MOSTLY)), np.float32(MOSTLY), np.float32(SHADE)
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
