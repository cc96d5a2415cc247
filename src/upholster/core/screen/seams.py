"""Seams: where two cloths of a screen, a wall and a floor, or light and a hard shadow meet within a cell."""

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.core.grids import enlarge, resize
from upholster.core.screen.likeness import like_nearby
from upholster.core.screen.metric import to_metric

Plane = NDArray[np.float32]
Mask = NDArray[np.bool_]

#: Cells to either side of a seam in which the screen has its colours on both; and how far beside cells that were seen
#: bare a seam may be.
_BOTH, _BESIDE = 3, 2
#: How far apart these colours are at least, in encoded RGB, and how far beyond them what lies between may be.
_APART, _BEYOND = 0.08, 0.02
#: How like what is nearby a lone bare cell must be, in the key's metric, to hold nothing else.
_ALIKE = 0.012
#: How many fine cells to either side of a seam the screen is looked at, how even it is there, how far apart, how long a
#: seam is, and how far around it the clean plate in cells does not know of it.
_ASIDE, _EVEN, _STEP, _LONG, _AROUND = 5, 0.03, 0.05, 32, 12
#: The least part of the rectangle around it that a rectangle fills, though cells are coarse.
_FILLED = 0.9
#: How far from the smooth clean plate a seam begins to show, and surely does; and the least part of the picture it has.
_SHOWS, _LEAST = (0.01, 0.025), 0.0002
#: How far from a clean plate, in encoded RGB, something is that stands before it.
_OTHER = 0.3


def with_seams(plate: Plane, seen: Plane, bare: Mask, patches: Mask, still: NDArray[np.float16]) -> Plane | None:
    """The clean plate with its seams, in finer cells ``(3, n, m)``; None where it has none.

    What keeps its place, and has a colour between those that the screen has to either side, is a seam. Anything thinner
    than a cell that is darker than both, or of another colour, may be a wire.

    Parameters
    ----------
    plate : (3, rows, columns) float32
        The clean plate in cells, encoded RGB.
    seen : (3, rows, columns) float32
        Mean of what was seen of each bare cell.
    bare : (rows, columns) bool
        Where nothing but screen was seen on some frame.
    patches : (rows, columns) bool
        Where that may be tinted glass: the rim of what is not cut straight is no seam.
    still : (2, 3, n, m) float16
        See `survey.Survey`.
    """
    rows, columns = still.shape[2:]
    least, most = _beside(plate, seen, bare)
    beside = np.ones((2 * _BESIDE + 1,) * 2, np.uint8)
    near, doubtful = (cv2.dilate(mask.astype(np.uint8), beside) > 0 for mask in (bare, _not_cut_straight(patches)))
    two = near & ~doubtful & ((most - least).max(axis=0) > _APART)
    if not two.any():
        return None
    smooth = enlarge(plate, columns, rows)
    lowest, highest = enlarge(least, columns, rows) - _BEYOND, enlarge(most, columns, rows) + _BEYOND
    near_two = cv2.resize(two.astype(np.uint8), (columns, rows), interpolation=cv2.INTER_NEAREST) > 0
    screen = np.full_like(smooth, np.nan)
    # What is to be seen on most frames is looked at last.
    for there in _lit_alike(still.astype(np.float32), smooth, bare)[::-1]:
        # What is no number is not between anything.
        screen = np.where(near_two & ((there > lowest) & (there < highest)).all(axis=0), there, screen)
    return _where_it_shows(smooth, np.where(_at_a_step(screen) & ~np.isnan(screen), screen, smooth))


def _not_cut_straight(patches: Mask) -> Mask:
    """Those patches that are no rectangles, as cloth that was stuck on mostly is."""
    count, labels = cv2.connectedComponents(patches.astype(np.uint8), connectivity=4)
    out = np.zeros_like(patches)
    for n in range(1, count):
        own = labels == n
        wide, high = cv2.minAreaRect(np.argwhere(own).astype(np.float32))[1]
        if own.sum() < _FILLED * (wide + 1) * (high + 1):
            out |= own
    return out


def _at_a_step(seen: Plane) -> Mask:
    """Where the screen is evenly of one colour to one side and of another to the other, and nearby, ``(n, m)``."""
    rows, columns = seen.shape[1:]
    even = np.where(_uneven(seen) < np.float32(_EVEN), seen, np.float32(np.nan))
    framed = np.pad(even, ((0, 0), (_ASIDE, _ASIDE), (_ASIDE, _ASIDE)), constant_values=np.nan)
    steps = np.zeros((rows, columns), np.uint8)
    for down, across in ((0, _ASIDE), (_ASIDE, 0), (_ASIDE, _ASIDE), (_ASIDE, -_ASIDE)):
        one, other = (framed[:, _ASIDE + k * down :, _ASIDE + k * across :][:, :rows, :columns] for k in (-1, 1))
        steps |= (np.abs(one - other).max(axis=0) > np.float32(_STEP)).astype(np.uint8)
    _, labels, sizes, _ = cv2.connectedComponentsWithStats(steps, connectivity=8)
    long = np.maximum(sizes[:, cv2.CC_STAT_WIDTH], sizes[:, cv2.CC_STAT_HEIGHT]) >= _LONG
    long[0] = False
    around = np.ones((2 * _AROUND + 1,) * 2, np.uint8)
    return np.asarray(cv2.dilate(long[labels].astype(np.uint8), around) > 0)


def _uneven(seen: Plane) -> Plane:
    """How much colours differ from those right beside them, ``(n, m)``; much where those are not known."""
    there = np.where(np.isnan(seen), np.float32(9), seen)
    highest, lowest = (
        np.stack([how(plane, np.ones((3, 3), np.uint8)) for plane in there]) for how in (cv2.dilate, cv2.erode)
    )
    return np.asarray((highest - lowest).max(axis=0), np.float32)


def as_empty(plate: Plane, empty: NDArray[np.float16], still: NDArray[np.float16]) -> Plane | None:
    """The clean plate of a set that was shot empty, in finer cells; None where it shows no more, or lies elsewhere.

    Parameters
    ----------
    plate : (3, rows, columns) float32
        The clean plate in cells, encoded RGB.
    empty, still : (2, 3, n, m) float16
        What is still on the empty set, and in the shot itself.
    """
    rows, columns = empty.shape[2:]
    smooth = enlarge(plate, columns, rows)
    fine = _where_it_shows(smooth, np.where(np.isnan(empty[0]), smooth, empty[0]))
    if fine is None:
        return None
    # A camera that was moved in between has it elsewhere, and the shot says so.
    shot = resize(still[0].astype(np.float32), columns, rows)
    shows = (np.abs(fine - smooth).max(axis=0) > _SHOWS[1]) & ~np.isnan(shot).any(axis=0)
    return fine if shows.any() and _missed(shot, fine, shows) < _missed(shot, smooth, shows) else None


def _missed(shot: Plane, plate: Plane, shows: Mask) -> float:
    away = np.minimum(np.abs(shot - plate)[:, shows], np.float32(_OTHER))
    return float((away * away).mean())


def _lit_alike(still: Plane, smooth: Plane, bare: Mask) -> Plane:
    """What is still in the light of the clean plate."""
    seen = cv2.resize(bare.astype(np.uint8), still.shape[:1:-1], interpolation=cv2.INTER_NEAREST) > 0
    seen &= ~np.isnan(still[0]).any(axis=0)
    if not seen.any():
        return still
    light, own = (plane.sum(axis=0)[seen] for plane in (smooth, still[0]))
    return still * np.float32(np.median(light / np.maximum(own, np.float32(1e-3))))


def _beside(plate: Plane, seen: Plane, bare: Mask) -> tuple[Plane, Plane]:
    """The least and the most of each primary that the screen has to either side, ``(3, rows, columns)`` each."""
    # A bare cell at the rim of others may hold a sliver of something else.
    inner = cv2.erode(bare.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
    surely = inner | like_nearby(to_metric(seen), bare & ~inner, inner, _ALIKE)
    around = np.ones((2 * _BOTH + 1,) * 2, np.uint8)
    seen = np.where(surely, seen, plate)
    least = np.stack([cv2.erode(plane, around) for plane in np.minimum(plate, seen)])
    return least, np.stack([cv2.dilate(plane, around) for plane in np.maximum(plate, seen)])


def _where_it_shows(smooth: Plane, fine: Plane) -> Plane | None:
    away = fine - smooth
    first, surely = (np.float32(limit) for limit in _SHOWS)
    shows = np.clip((np.abs(away).max(axis=0) - first) / (surely - first), 0, 1)
    return smooth + away * shows if float((shows > 0.5).mean()) > _LEAST else None
