"""Pulling coverage out of a plate, given what is known of its screen."""

from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.core.grids import Laid, area, lay, read_row, resize, spread
from upholster.core.kernels import compiled, inlined, over_rows
from upholster.core.recipe import Kind
from upholster.core.screen.clean_plate import ScreenKnowledge
from upholster.core.screen.metric import LUMA_WEIGHT, TO_METRIC, to_metric

Plane = NDArray[np.float32]

#: Longer side of the grid on which the subject's own colours are gathered.
SUBJECT_GRID = 320
#: How far, in cells of that grid, a half-covered cell may lie from one that is all subject.
_NEARBY = 9
#: The part of a subject, in cells, that must be free of the screen for its middle to be sure.
_AROUND = np.ones((3, 3), np.uint8)
#: Weight of a sure cell that has one beside it which is not.
_RIM = 0.05
#: Cells up to which the nearest sure cells alone say a colour, and from which they say nothing.
_BESIDE, _FAR = 3.0, 6.0
#: Coverage from which a subject may be shaded instead of half covered, and from which it surely may.
_MOSTLY, _SOLIDLY = 0.4, 0.8
#: How much a shade of one counts against what is seen, and the pixels of a row looked at together.
_SHADE, _RUN = 0.03, 32
#: Difference between neighbouring cells, in the key's metric, below which a surface is even.
_LEVEL = 0.03
#: Share of the screen's colour that an even surface must lack, and of its colour over brightness.
_TAKEN, _TINTED = 0.6, 0.3
#: Share of the largest distances from the screen below which nothing is taken to be solid.
_SOLID = 0.3


def pull(plate: Plane, kind: Kind, screen: Laid, subject: Laid) -> Plane:
    """Coverage 0..1 of the subject in ``(3, h, w)`` `plate`, before any choice of clear and solid.

    Parameters
    ----------
    screen, subject : Laid
        The clean plate, and the `subject_colours`, laid over the plate.
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


def least_coverage(plate: Plane, screen: Laid) -> Plane:
    """The least coverage that can explain a colour in front of the screen, whatever the subject's own.

    The larger of what emission and what absorption would need: no less can be, since no colour of
    the subject lies outside 0..1 (the bound that Smith and Blinn 1996 give, section 4). Where the
    screen leaves little room, grain would be taken for coverage, so the room counts for no less than
    a quarter.
    """
    out = np.empty(plate.shape[1:], np.float32)
    over_rows(_least, plate.shape[1], plate, screen, out)
    return out


def subject_cells(plate: Plane) -> Plane:
    """``(3, h, w)`` plate averaged down to the grid on which the subject's colours are gathered."""
    height, width = plate.shape[1:]
    size = max(1.0, max(height, width) / SUBJECT_GRID)
    return area(plate, max(1, round(width / size)), max(1, round(height / size)))


def subject_colours(cells: Plane, kind: Kind, known: ScreenKnowledge) -> Plane:
    """The solid subject's colours, carried outward over the whole picture.

    Parameters
    ----------
    cells : (3, rows, columns) float32
        As `subject_cells` gives them, or those of a survey.

    Returns
    -------
    (3, rows, columns) float32
        Where nothing solid was found, the screen's complement.
    """
    rows, columns = cells.shape[1:]
    screen = resize(known.plate, columns, rows)
    if kind in ("dark", "light"):
        laid = lay(known.plate, columns, rows)
        cover = pull(cells, kind, laid, laid)
        own = (cells - (1 - cover) * screen) / np.maximum(cover, np.float32(1e-3))
        # Squared: a bright core knows its colour, a faint veil of grain does not.
        return spread(np.clip(own, 0, 1).astype(np.float32), np.clip(cover * cover * 4, 0, 1))
    sure = _surely_subject(cells, screen, kind, known)
    if not sure.any():
        return (np.float32(1) - screen).astype(np.float32)
    return _carried_outward(cells, sure)


def _carried_outward(cells: Plane, sure: Plane) -> Plane:
    """Colours of sure cells over the whole grid.

    Beside the subject an edge has the colour of the sure cells nearest to it. Further out go strands
    and blurred limbs, which come from anywhere around: there the mean of all counts.
    """
    # Next to a cell that is not sure, one may still hold a sliver of the screen.
    weight = (sure * (_RIM + (1 - _RIM) * cv2.erode(sure, _AROUND))).astype(np.float32)
    around = spread(cells, weight)
    inner = (weight > np.float32(0.9)).astype(np.uint8)
    if not inner.any():
        return around + (cells - around) * sure
    held = weight * inner
    mass = cv2.blur(held, (5, 5), borderType=cv2.BORDER_REPLICATE)
    mean = np.stack([cv2.blur(c * held, (5, 5), borderType=cv2.BORDER_REPLICATE) for c in cells])
    distance, labels = cv2.distanceTransformWithLabels(1 - inner, cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL)
    places = np.zeros(int(labels.max()) + 1, np.int64)
    inside = np.flatnonzero(inner)
    places[labels.ravel()[inside]] = inside
    nearest = np.take((mean / np.maximum(mass, np.float32(1e-6))).reshape(3, -1), places[labels], axis=1)
    share = np.clip((np.float32(_FAR) - distance) / np.float32(_FAR - _BESIDE), 0, 1)
    carried = around + (nearest - around) * share
    return carried + (cells - carried) * sure


def _surely_subject(cells: Plane, screen: Plane, kind: Kind, known: ScreenKnowledge) -> Plane:
    """Confidence 0..1 that a cell holds nothing of the screen."""
    away = np.sqrt(_squared(to_metric(cells) - to_metric(screen)))
    # A veil is far from nothing, but not as far as what is solid; a half-covered cell lies between
    # the screen and a cell nearby that is all subject.
    least = max(12 * known.noise + 0.03, _SOLID * float(np.quantile(away[::2, ::2], 0.995)))
    peak = np.maximum(cv2.dilate(away, np.ones((_NEARBY, _NEARBY), np.uint8)), np.float32(least))
    sure = np.clip((away / peak - np.float32(0.9)) * 15, 0, 1) * np.clip(away / np.float32(least) - 1, 0, 1)
    if kind == "screen":
        p = known.primary
        a, b = [c for c in range(3) if c != p]
        left = cells[p] - np.maximum(cells[a], cells[b])
        whole = np.maximum(screen[p] - np.maximum(screen[a], screen[b]), np.float32(0.02))
        free = np.clip((np.float32(0.1) - left / whole) * 20, 0, 1).astype(np.float32)
        # With nothing of the screen anywhere around, a cell is the subject's own, whatever its colour.
        sure = np.maximum(sure * free, cv2.erode(free, _AROUND))
    return np.maximum(sure, _level_and_other(cells, screen)).astype(np.float32)


def _level_and_other(cells: Plane, screen: Plane) -> Plane:
    """One where an even part of the picture has another colour than the screen.

    A white veil takes away as much of the screen's colour as it covers, so what takes most of it
    is no veil. Shade takes colour too, but leaves colour over brightness as it was. A soft or
    blurred edge is not even.
    """
    here, there = to_metric(cells), to_metric(screen)
    other = _departs(here[1:], there[1:], _TAKEN) & _departs(_over_luma(here), _over_luma(there), _TINTED)
    other = cv2.erode(other.astype(np.uint8), _AROUND) > 0
    vary = [cv2.dilate(plane, _AROUND) - cv2.erode(plane, _AROUND) for plane in here]
    return (other & (_squared(vary) < _LEVEL**2)).astype(np.float32)


def _departs(colour: Plane, nominal: Plane, share: float) -> NDArray[np.bool_]:
    """Where two-component colours lie further from a nominal one than a share of its length."""
    return _squared(colour - nominal) > share**2 * np.maximum(_squared(nominal), np.float32(0.02**2))


def _squared(parts: Sequence[Plane] | Plane) -> Plane:
    """Squared length of vectors, given by component."""
    total = parts[0] * parts[0]
    for part in parts[1:]:
        total += part * part
    return total


def _over_luma(metric: Plane) -> Plane:
    return metric[1:] / np.maximum(metric[0] / np.float32(LUMA_WEIGHT), np.float32(0.02))


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
def _least(plate, screen, out, first, end):
    """alpha = max over primaries of (C - B) / (1 - B) and (B - C) / B."""
    wide = np.empty(out.shape[-1], np.float32)
    one, room = np.float32(1), np.float32(0.25)
    for j in range(first, end):
        out[j] = np.float32(0)
        for c in range(3):
            read_row(screen, c, j, wide)
            for i in range(out.shape[1]):
                change = plate[c, j, i] - wide[i]
                cover = max(change / max(one - wide[i], room), -change / max(wide[i], room))
                out[j, i] = min(max(out[j, i], cover), one)


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
        read_row(screen, 0, j, br)
        read_row(screen, 1, j, bg)
        read_row(screen, 2, j, bb)
        read_row(subject, 0, j, fr)
        read_row(subject, 1, j, fg)
        read_row(subject, 2, j, fb)
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
