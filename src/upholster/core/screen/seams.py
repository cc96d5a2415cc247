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
#: How far from the smooth clean plate a seam begins to show, and surely does; the least part of the picture that seams
#: take, and the least that shows on an empty set.
_SHOWS, _SEAMS, _EMPTY = (0.01, 0.025), 0.004, 0.0002
#: How far from a clean plate, in encoded RGB, something is that stands before it.
_OTHER = 0.3


def with_seams(plate: Plane, seen: Plane, bare: Mask, still: NDArray[np.float16]) -> Plane | None:
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
    still : (2, 3, n, m) float16
        See `survey.Survey`.
    """
    rows, columns = still.shape[2:]
    least, most = _beside(plate, seen, bare)
    near = cv2.dilate(bare.astype(np.uint8), np.ones((2 * _BESIDE + 1,) * 2, np.uint8)) > 0
    two = near & ((most - least).max(axis=0) > _APART)
    if not two.any():
        return None
    smooth = enlarge(plate, columns, rows)
    between = [enlarge(least, columns, rows) - _BEYOND, enlarge(most, columns, rows) + _BEYOND]
    near_two = cv2.resize(two.astype(np.uint8), (columns, rows), interpolation=cv2.INTER_NEAREST) > 0
    fine = smooth
    # What is to be seen on most frames is looked at last.
    for there in _lit_alike(still.astype(np.float32), smooth, bare)[::-1]:
        # What is no number is not between anything.
        fine = np.where(near_two & ((there > between[0]) & (there < between[1])).all(axis=0), there, fine)
    return _where_it_shows(smooth, fine, _SEAMS)


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
    fine = _where_it_shows(smooth, np.where(np.isnan(empty[0]), smooth, empty[0]), _EMPTY)
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


def _where_it_shows(smooth: Plane, fine: Plane, least: float) -> Plane | None:
    away = fine - smooth
    first, surely = (np.float32(limit) for limit in _SHOWS)
    shows = np.clip((np.abs(away).max(axis=0) - first) / (surely - first), 0, 1)
    return smooth + away * shows if float((shows > 0.5).mean()) > least else None
