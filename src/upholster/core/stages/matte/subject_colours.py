"""The subject's own colours: gathered where it is surely solid, and carried outward."""

from collections.abc import Sequence

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
from upholster.core.screen.metric import LUMA_WEIGHT, to_metric
from upholster.core.stages.matte.raw_matte import raw_matte

Plane = NDArray[np.float32]
Mask = NDArray[np.bool_]

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
    here, there = to_metric(cells), to_metric(screen)
    solid = ~_like_a_veil(here[1:], there[1:])
    sure = np.maximum(_far_from_screen(cells, screen, kind, known, here - there), _level_and_other(here, there) * solid)
    return sure.astype(np.float32, copy=False), _enclosed(here[1:], there[1:]) * solid


def _far_from_screen(cells: Plane, screen: Plane, kind: Kind, known: ScreenKnowledge, apart: Plane) -> Plane:
    """Confidence 0..1 that a cell is as far from the screen, in the key's metric, as what is solid."""
    away = np.sqrt(_squared(apart))
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
    return np.asarray(sure, np.float32)


def _enclosed(here: Plane, there: Plane) -> Plane:
    """One where nothing around holds much of the screen's colour, nor more of it on one side than on the other.

    No edge reaches so far in. A blurred limb does, but there the screen's share goes steadily from one side to the
    other; between strands of hair it is uneven.
    """
    share = (here * there).sum(axis=0) / np.maximum(_squared(there), np.float32(0.02**2))
    within = cv2.dilate(share, np.ones((2 * _EDGE + 1,) * 2, np.uint8)) < np.float32(_LITTLE)
    steady = cv2.dilate(share, _AROUND) - cv2.erode(share, _AROUND) < np.float32(_STEADY)
    # A seam between two cloths is one cell wide.
    beside = cv2.dilate((within & steady).astype(np.uint8), _AROUND) > 0
    return (within & beside).astype(np.float32)


def _level_and_other(here: Plane, there: Plane) -> Plane:
    """One where an even part of the picture has another colour than the screen.

    A white veil takes away as much of the screen's colour as it covers, so what takes most of it
    is no veil. Shade takes colour too, but leaves colour over brightness as it was. A soft or
    blurred edge is not even.
    """
    other = _departs(here[1:], there[1:], _TAKEN) & _departs(_over_luma(here), _over_luma(there), _TINTED)
    other = cv2.erode(other.astype(np.uint8), _AROUND) > 0
    vary = [cv2.dilate(plane, _AROUND) - cv2.erode(plane, _AROUND) for plane in here]
    return (other & (_squared(vary) < _LEVEL**2)).astype(np.float32)


def _like_a_veil(here: Plane, there: Plane) -> Mask:
    """Where colours ``(2, rows, columns)`` are widely the screen's very hue, but less of it, beside the screen.

    That is a veil, or a greyed cloth of that hue; within the subject, or narrow, it is the latter.
    """
    squared = np.maximum(_squared(there), np.float32(0.02**2))
    left = (here * there).sum(axis=0) / squared
    beside = np.abs(here[0] * there[1] - here[1] * there[0]) / squared
    low, high = _VEILED
    like = (left > np.float32(low)) & (left < np.float32(high)) & (beside < np.float32(_VERY_HUE))
    # Grain leaves gaps of a cell in it.
    even = cv2.morphologyEx(like.astype(np.uint8), cv2.MORPH_CLOSE, _AROUND)
    wide = cv2.morphologyEx(even, cv2.MORPH_OPEN, np.ones((_WIDE, _WIDE), np.uint8))
    if not wide.any():
        return np.zeros(left.shape, bool)
    count, parts = cv2.connectedComponents(wide)
    beside_screen = cv2.dilate((left > np.float32(_BARE)).astype(np.uint8), np.ones((9, 9), np.uint8)) > 0
    veil = np.zeros(count, bool)
    veil[np.unique(parts[beside_screen])] = True
    veil[0] = False
    return veil[parts]


def _departs(colour: Plane, nominal: Plane, share: float) -> Mask:
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
