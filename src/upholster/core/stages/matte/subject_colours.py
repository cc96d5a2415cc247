"""The subject's own colours: gathered where it is surely solid, and carried outward."""

from collections.abc import Sequence
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.core.documents.screen import Kind, Screen
from upholster.core.grids import area, resize, spread, upsampled
from upholster.core.kernels import compiled, over_rows
from upholster.core.matting.learnt import corrected
from upholster.core.pipeline.stage import Changes, Context, Picture, Stage
from upholster.core.screen.clean_plate import ScreenKnowledge
from upholster.core.screen.likeness import likeness
from upholster.core.screen.metric import LUMA_WEIGHT, TO_METRIC
from upholster.core.stages.matte.raw_matte import raw_matte

Plane = NDArray[np.float32]
Mask = NDArray[np.bool_]
Codes = NDArray[np.uint8]

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
#: Difference between neighbouring cells, in the key's metric, below which a surface is even.
_LEVEL = 0.03
#: Share of the screen's colour that an even surface must lack, and of its colour over brightness.
_TAKEN, _TINTED = 0.6, 0.3
#: How far into a subject an edge reaches, in cells; the share of the screen's colour that is little; and how much that
#: share may change from cell to cell where it is no blur and no hair.
_EDGE, _LITTLE, _STEADY = 3, 0.5, 0.05
#: What share of the screen's colour a veil may leave, of its very hue to so much of it; and what share bare screen has.
_VEILED, _VERY_HUE, _BARE = (0.28, 0.6), 0.1, 0.75
#: How wide a veil is, in cells: clothes have smaller parts of such a colour, and blurred edges are narrower.
_WIDE = 17
#: Share of the largest distances from the screen below which nothing is taken to be solid.
_SOLID = 0.3


def _run(picture: Picture, context: Context) -> Changes:
    cells, kind, known, clean = picture.cells, context.screen.kind, context.measured, picture.screen_cells
    if kind in ("dark", "light"):
        found = glow_colours(cells, kind, clean)
    else:
        screen = resize(clean, cells.shape[2], cells.shape[1])
        sure, within = surely_subject(cells, screen, kind, known)
        sure, within = _as_marked(cells, screen, context.screen, sure, within)
        carried = carried_outward(cells, screen, np.maximum(sure, within))
        found = corrected(picture.rgb, cells, screen, carried, np.stack([within, sure]), known.noise)
    return {"subject": upsampled(found, picture.raster.width, picture.raster.height)}


STAGE = Stage("subject_colours", ("rgb", "cells", "screen_cells"), _run)


def _as_marked(cells: Plane, screen: Plane, said: Screen, sure: Plane, within: Plane) -> tuple[Plane, Plane]:
    """Both confidences after what was marked by hand: cells like the subject are sure, those like other things not."""
    if not said.samples:
        return sure, within
    over = upsampled(screen, cells.shape[2], cells.shape[1])
    subject, other = said.marked(["subject"]), said.marked(["ground", "veil"])
    if other:
        kept = 1 - likeness(cells, other, subject, over, alike=said.alike, around=1).alike
        sure, within = sure * kept, within * kept
    if subject:
        alike = likeness(cells, subject, other, over, alike=said.alike, around=1).alike
        # Beside what is alike one may still hold a sliver of the screen.
        sure = np.maximum(sure, cv2.erode(alike, _AROUND))
    return sure, within


def subject_cells(plate: Plane) -> Plane:
    """``(3, h, w)`` plate averaged down to the grid on which the subject's colours are gathered."""
    height, width = plate.shape[1:]
    size = max(1.0, max(height, width) / SUBJECT_GRID)
    return area(plate, max(1, round(width / size)), max(1, round(height / size)))


def subject_colours(cells: Plane, kind: Kind, known: ScreenKnowledge) -> Plane:
    """The solid subject's colours of a survey's cells, carried outward over the whole picture.

    Parameters
    ----------
    cells : (3, rows, columns) float32

    Returns
    -------
    (3, rows, columns) float32
        Where nothing solid was found, the screen's complement.
    """
    if kind in ("dark", "light"):
        return glow_colours(cells, kind, known.plate)
    screen = resize(known.plate, cells.shape[2], cells.shape[1])
    return carried_outward(cells, screen, np.maximum(*surely_subject(cells, screen, kind, known)))


def glow_colours(cells: Plane, kind: Kind, clean: Plane) -> Plane:
    """The colours of light on a dark ground or ink on a light one, carried outward over the whole picture.

    Parameters
    ----------
    cells : (3, rows, columns) float32
    clean : (3, n, m) float32
        The clean plate over the same part of the picture.
    """
    over = upsampled(clean, cells.shape[2], cells.shape[1])
    cover = raw_matte(cells, kind, over, over)
    own = (cells - (1 - cover) * resize(clean, cells.shape[2], cells.shape[1])) / np.maximum(cover, np.float32(1e-3))
    # Squared: a bright core knows its colour, a faint veil of grain does not.
    peak = max(1.0, float(cells.max()))
    return spread(np.clip(own, 0, peak).astype(np.float32), np.clip(cover * cover * 4, 0, 1))


def carried_outward(cells: Plane, screen: Plane, sure: Plane) -> Plane:
    """Colours of sure cells over the whole grid; the screen's complement where there are none.

    Beside the subject an edge has the colour of the sure cells nearest to it. Further out go strands
    and blurred limbs, which come from anywhere around: there the mean of all counts.
    """
    if not sure.any():
        return (np.float32(1) - screen).astype(np.float32)
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
    own = (mean / np.maximum(mass, np.float32(1e-6))).reshape(3, -1)
    out = np.empty_like(cells)
    over_rows(_carried, cells.shape[1], cells, sure, around, own, places, labels, distance, out)
    return out


@compiled
def _carried(cells, sure, around, own, places, labels, distance, out, first, end):
    one, zero, far = np.float32(1), np.float32(0), np.float32(_FAR)
    for j in range(first, end):
        for i in range(cells.shape[2]):
            nearest = places[labels[j, i]]
            share = min(max((far - distance[j, i]) / np.float32(_FAR - _BESIDE), zero), one)
            for c in range(3):
                carried = around[c, j, i] + (own[c, nearest] - around[c, j, i]) * share
                out[c, j, i] = carried + (cells[c, j, i] - carried) * sure[j, i]


class _Apart(NamedTuple):
    """How cells depart from the screen behind them, each ``(rows, columns)``.

    Attributes
    ----------
    metric : (3, rows, columns) float32
        The cells in the key's metric.
    away : float32
        How far they are from the screen there.
    share : float32
        How much of the screen's colour they have.
    free : float32
        0..1, one where the screen's strongest primary stands out by nothing of what it does on the screen.
    other, paler : uint8
        One where the colour is another than the screen's, in whatever light; and where it is its very hue, but less.
    """

    metric: Plane
    away: Plane
    share: Plane
    free: Plane
    other: Codes
    paler: Codes


def _apart(cells: Plane, screen: Plane, primary: int) -> _Apart:
    away, share, free = np.empty_like(cells)
    other, paler = np.empty((2, *away.shape), np.uint8)
    found = _Apart(np.empty_like(cells), away, share, free, other, paler)
    over_rows(_depart, len(away), cells, screen, TO_METRIC, primary, *found)
    return found


@compiled
def _depart(cells, screen, to, primary, metric, away, share, free, other, paler, first, end):
    one, zero, least = np.float32(1), np.float32(0), np.float32(0.02)
    dark = np.float32(0.02 * LUMA_WEIGHT)
    taken, tinted = np.float32(_TAKEN**2), np.float32(_TINTED**2)
    low, high, hue = np.float32(_VEILED[0]), np.float32(_VEILED[1]), np.float32(_VERY_HUE)
    x, y = (primary + 1) % 3, (primary + 2) % 3
    for j in range(first, end):
        for i in range(cells.shape[2]):
            r, g, b = cells[0, j, i], cells[1, j, i], cells[2, j, i]
            luma = to[0, 0] * r + to[0, 1] * g + to[0, 2] * b
            blue, red = to[1, 0] * r + to[1, 1] * g + to[1, 2] * b, to[2, 0] * r + to[2, 1] * g + to[2, 2] * b
            r, g, b = screen[0, j, i], screen[1, j, i], screen[2, j, i]
            own_luma = to[0, 0] * r + to[0, 1] * g + to[0, 2] * b
            own_blue, own_red = to[1, 0] * r + to[1, 1] * g + to[1, 2] * b, to[2, 0] * r + to[2, 1] * g + to[2, 2] * b
            metric[0, j, i], metric[1, j, i], metric[2, j, i] = luma, blue, red
            by_luma, by_blue, by_red = luma - own_luma, blue - own_blue, red - own_red
            coloured = by_blue * by_blue + by_red * by_red
            away[j, i] = np.sqrt(by_luma * by_luma + coloured)
            nominal = max(own_blue * own_blue + own_red * own_red, least * least)
            has = (blue * own_blue + red * own_red) / nominal
            share[j, i] = has
            beside = abs(blue * own_red - red * own_blue) / nominal
            paler[j, i] = (has > low) & (has < high) & (beside < hue)
            light, own_light = np.float32(LUMA_WEIGHT) / max(luma, dark), np.float32(LUMA_WEIGHT) / max(own_luma, dark)
            pure_blue, pure_red = own_blue * own_light, own_red * own_light
            purer = max(pure_blue * pure_blue + pure_red * pure_red, least * least)
            by_blue, by_red = blue * light - pure_blue, red * light - pure_red
            other[j, i] = (coloured > taken * nominal) & (by_blue * by_blue + by_red * by_red > tinted * purer)
            left = cells[primary, j, i] - max(cells[x, j, i], cells[y, j, i])
            whole = max(screen[primary, j, i] - max(screen[x, j, i], screen[y, j, i]), least)
            free[j, i] = min(max((np.float32(0.1) - left / whole) * np.float32(20), zero), one)


def surely_subject(cells: Plane, screen: Plane, kind: Kind, known: ScreenKnowledge) -> tuple[Plane, Plane]:
    """Which cells hold nothing of the screen.

    Parameters
    ----------
    cells, screen : (3, rows, columns) float32
        The plate, and the clean plate, on the grid of the subject's colours.

    Returns
    -------
    sure : (rows, columns) float32
        Confidence 0..1 by the cell's own colour.
    within : (rows, columns) float32
        One where nothing around holds much of the screen.
    """
    apart = _apart(cells, screen, known.primary)
    level, within = _level_and_other(apart), _enclosed(apart.share)
    if (veil := _like_a_veil(apart)) is not None:
        level[veil] = within[veil] = 0
    return np.maximum(_far_from_screen(apart, kind, known.noise), level), within


def _far_from_screen(apart: _Apart, kind: Kind, noise: float) -> Plane:
    """Confidence 0..1 that a cell is as far from the screen, in the key's metric, as what is solid."""
    away = apart.away
    # A veil is far from nothing, but not as far as what is solid; a half-covered cell lies between
    # the screen and a cell nearby that is all subject.
    least = np.float32(max(12 * noise + 0.03, _SOLID * float(np.quantile(away[::2, ::2], 0.995))))
    peak = cv2.dilate(away, np.ones((_NEARBY, _NEARBY), np.uint8))
    free, around = apart.free, cv2.erode(apart.free, _AROUND)
    if kind != "screen":
        free, around = np.ones_like(free), np.zeros_like(free)
    sure = np.empty_like(away)
    over_rows(_far, len(away), away, peak, least, free, around, sure)
    return sure


@compiled
def _far(away, peak, least, free, around, sure, first, end):
    one, zero = np.float32(1), np.float32(0)
    for j in range(first, end):
        for i in range(away.shape[1]):
            far = min(max((away[j, i] / max(peak[j, i], least) - np.float32(0.9)) * np.float32(15), zero), one)
            far *= min(max(away[j, i] / least - one, zero), one)
            # With nothing of the screen anywhere around, a cell is the subject's own, whatever its colour.
            sure[j, i] = max(far * free[j, i], around[j, i])


def _enclosed(share: Plane) -> Plane:
    """One where nothing around holds much of the screen's colour, nor more of it on one side than on the other.

    No edge reaches so far in. A blurred limb does, but there the screen's share goes steadily from one side to the
    other; between strands of hair it is uneven.
    """
    within = cv2.dilate(share, np.ones((2 * _EDGE + 1,) * 2, np.uint8)) < np.float32(_LITTLE)
    steady = cv2.dilate(share, _AROUND) - cv2.erode(share, _AROUND) < np.float32(_STEADY)
    # A seam between two cloths is one cell wide.
    beside = cv2.dilate((within & steady).view(np.uint8), _AROUND).view(bool)
    return (within & beside).astype(np.float32)


def _level_and_other(apart: _Apart) -> Plane:
    """One where an even part of the picture has another colour than the screen.

    A white veil takes away as much of the screen's colour as it covers, so what takes most of it
    is no veil. Shade takes colour too, but leaves colour over brightness as it was. A soft or
    blurred edge is not even.
    """
    other = cv2.erode(apart.other, _AROUND) > 0
    vary = [cv2.dilate(plane, _AROUND) - cv2.erode(plane, _AROUND) for plane in apart.metric]
    return (other & (_squared(vary) < _LEVEL**2)).astype(np.float32)


def _like_a_veil(apart: _Apart) -> Mask | None:
    """Where colours are widely the screen's very hue, but less of it, beside the screen; None where nowhere.

    That is a veil, or a greyed cloth of that hue; within the subject, or narrow, it is the latter.
    """
    # Grain leaves gaps of a cell in it.
    even = cv2.morphologyEx(apart.paler, cv2.MORPH_CLOSE, _AROUND)
    wide = cv2.morphologyEx(even, cv2.MORPH_OPEN, np.ones((_WIDE, _WIDE), np.uint8))
    if not wide.any():
        return None
    count, parts = cv2.connectedComponents(wide)
    beside_screen = cv2.dilate((apart.share > np.float32(_BARE)).view(np.uint8), np.ones((9, 9), np.uint8)) > 0
    veil = np.zeros(count, bool)
    veil[np.unique(parts[beside_screen])] = True
    veil[0] = False
    return veil[parts]


def _squared(parts: Sequence[Plane]) -> Plane:
    """Squared length of vectors, given by component."""
    total = parts[0] * parts[0]
    for part in parts[1:]:
        total += part * part
    return total
