"""Tracking marks: small things stuck on the screen for whoever follows the camera."""

from dataclasses import dataclass
from itertools import pairwise
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

Plane = NDArray[np.float32]
Mask = NDArray[np.bool_]

#: How far from the screen a mark's colour is at least, in the key's metric.
_AWAY = 0.06
#: Cells a mark is wide at most, and how many there must be on a frame.
_WIDEST, _FEWEST = 6, 5
#: Cosine between the ways two colours go from the screen, from which they are alike, and very much so.
ALIKE, VERY = 0.9, 0.97
#: The share of marks that must be alike, and of those that must keep their places among each other.
_MOST, _RIGID = 0.7, 0.5
#: How far apart marks are, in their own sizes: letters and confetti stand closer.
_APART = 4.0
#: Cells that half of them are away from whatever is larger: the ends of strands are nearer.
_CLEAR = 6.0
#: How many times as large as a mark something on the plate must be that is the subject.
_SUBJECT = 10
#: How far places of marks may be off after the camera's own move, while it is sought and when it is known, as a share
#: of the picture's longer side.
_OFF, _NEAR = 0.02, 0.008


@dataclass(frozen=True, eq=False)
class TrackingMarks:
    """What tracking marks on a screen look like, and where they are.

    Attributes
    ----------
    towards : (3,) float32
        The way their colour goes from the screen's, in the key's metric; of length one.
    size : float
        The longer side of the largest, as a share of the picture's longer side.
    places : (n, 2) float32
        The middles of all that were seen, across and down, likewise, as they lie on one of the frames.
    """

    towards: Plane
    size: float
    places: Plane

    def parts(self) -> tuple[bytes, ...]:
        """All of it, for a digest."""
        return repr(self.size).encode(), self.towards.tobytes(), self.places.tobytes()

    def alike(self, away: Plane, least: float = ALIKE) -> Mask:
        """Which of the departures ``(n, 3)`` from the screen, in the key's metric, are a mark's."""
        return np.asarray(away @ self.towards > np.float32(least) * np.linalg.norm(away, axis=1))

    def hidden(self, seen: Plane) -> Plane:
        """Where marks are that are not among those seen ``(n, 2)``: behind or beside something, ``(m, 2)``."""
        expected = _followed(self.places, seen)
        return np.zeros((0, 2), np.float32) if expected is None else _others(expected, seen, self.size)


class _Bits(NamedTuple):
    """Small things on one frame that no border cuts.

    Attributes
    ----------
    places : (n, 2) float32
        Column and row.
    sizes, clear : (n,) float32
        Their longer side, and how far they are from whatever is larger, in cells.
    away : (n, 3) float32
        How their colours depart from the screen's.
    """

    places: Plane
    sizes: Plane
    clear: Plane
    away: Plane


def tracking_marks(metric: Plane, plate: Plane, bare: Mask) -> TrackingMarks | None:
    """The tracking marks on the screen of a surveyed shot; None where there are none, or some that may be otherwise.

    Lone small things of one colour, apart from each other, that keep their places among each other on all frames.

    Parameters
    ----------
    metric : (n, 3, rows, columns) float32
        Cells of the surveyed frames, in the key's metric.
    plate : (3, rows, columns) float32
        The clean plate, likewise.
    bare : (n, rows, columns) bool
        Where nothing but screen is.
    """
    enough: list[_Bits] = []
    largest = 0
    for n, (cells, clear) in enumerate(zip(metric, bare, strict=True), 1):
        away = cells - plate
        bits, area = _lone(away, (np.linalg.norm(away, axis=0) > np.float32(_AWAY)) & ~clear)
        largest = max(largest, area)
        if len(bits.sizes) >= _FEWEST:
            enough.append(bits)
        # A screen without marks is known by a few frames.
        elif n - len(enough) > (1 - _MOST) * len(metric):
            return None
    ways = np.concatenate([bits.away for bits in enough])
    towards = np.median(ways / np.linalg.norm(ways, axis=1, keepdims=True), axis=0).astype(np.float32)
    found = TrackingMarks(towards / max(float(np.linalg.norm(towards)), 1e-6), 0.0, np.zeros((0, 2), np.float32))
    if float(found.alike(ways).mean()) < _MOST:
        return None
    alike = [_Bits(*(each[found.alike(bits.away)] for each in bits)) for bits in enough]
    alike = [bits for bits in alike if len(bits.sizes) >= _FEWEST]
    if not alike:
        return None
    across = max(plate.shape[1:])
    places = [(bits.places + np.float32(0.5)) / np.float32(across) for bits in alike]
    sizes = np.concatenate([bits.sizes for bits in alike])
    if largest < _SUBJECT * float(np.median(sizes)) ** 2 or not _apart(alike) or not _keep_places(places):
        return None
    size = float(np.quantile(sizes, 0.95)) / across
    return TrackingMarks(found.towards, size, _together(places, size))


def _lone(away: Plane, there: Mask) -> tuple[_Bits, int]:
    """The small things of a frame, and how many cells the largest of all has."""
    count, labels, boxes, _ = cv2.connectedComponentsWithStats(there.astype(np.uint8), connectivity=8)
    sides = boxes[:, cv2.CC_STAT_WIDTH : cv2.CC_STAT_HEIGHT + 1]
    left, top = boxes[:, cv2.CC_STAT_LEFT], boxes[:, cv2.CC_STAT_TOP]
    small = sides.max(axis=1) <= _WIDEST
    # What the picture's border cuts may be larger than it looks.
    whole = (left > 0) & (top > 0) & (left + sides[:, 0] < there.shape[1]) & (top + sides[:, 1] < there.shape[0])
    lone = [k for k in range(1, count) if small[k] and whole[k]]
    small[0] = True
    distance = cv2.distanceTransform(small[labels].astype(np.uint8), cv2.DIST_L2, 3)
    bits = _Bits(*(np.zeros((len(lone), *shape), np.float32) for shape in ((2,), (), (), (3,))))
    for n, k in enumerate(lone):
        part = np.s_[top[k] : top[k] + sides[k, 1], left[k] : left[k] + sides[k, 0]]
        rows, columns = np.nonzero(labels[part] == k)
        inside = away[:, *part][:, rows, columns]
        weight = (inside * inside).sum(axis=0)
        bits.places[n] = left[k] + np.average(columns, weights=weight), top[k] + np.average(rows, weights=weight)
        bits.sizes[n], bits.clear[n] = sides[k].max(), distance[part].min()
        bits.away[n] = inside[:, np.argmax(weight)]
    return bits, int(boxes[1:, cv2.CC_STAT_AREA].max()) if count > 1 else 0


def _apart(frames: list[_Bits]) -> bool:
    """Whether they stand apart from each other and from what is larger, as marks do."""
    shares = []
    for bits in frames:
        between = _distances(bits.places, bits.places)
        np.fill_diagonal(between, np.inf)
        shares.append(between.min(axis=1) / bits.sizes)
    clear = np.concatenate([bits.clear for bits in frames])
    return float(np.median(np.concatenate(shares))) > _APART and float(np.median(clear)) > _CLEAR


def _keep_places(frames: list[Plane]) -> bool:
    """Whether their places on one frame are those on the next, but for one common move: what is thrown scatters."""
    kept = [_met(before + _move(before, after), after, _OFF).sum() / min(len(before), len(after))
            for before, after in pairwise(frames)]  # fmt: skip
    return not kept or float(np.median(kept)) >= _RIGID


def _together(frames: list[Plane], size: float) -> Plane:
    """All that is seen on any frame, as it lies on the one that shows most."""
    most = max(range(len(frames)), key=lambda n: len(frames[n]))
    every = frames[most]
    # From there on outward: what a pan shows is known little by little.
    for n in sorted(range(len(frames)), key=lambda n: abs(n - most)):
        expected = _followed(frames[n], every)
        if expected is not None:
            every = np.concatenate([every, _others(expected, every, size)])
    return every


def _others(places: Plane, known: Plane, size: float) -> Plane:
    """Those places that are no known ones."""
    return places[~_met(places, known, size)]


def _followed(places: Plane, seen: Plane) -> Plane | None:
    """The places of one frame as they lie on another where so many are seen; None where that is not sure."""
    if len(seen) < _FEWEST - 1:
        return None
    moved = places + _move(places, seen)
    met = _met(moved, seen, _OFF)
    if met.sum() < max(_FEWEST - 1, _RIGID * min(len(places), len(seen))):
        return None
    nearest = seen[_distances(moved[met], seen).argmin(axis=1)]
    # An affine map follows a camera that turns, goes nearer or tilts; few marks in a row tell too little of it.
    ones = np.ones((len(places), 1), np.float32)
    told = np.concatenate([places, ones], axis=1)
    spread = np.linalg.svd(places[met] - places[met].mean(axis=0), compute_uv=False)
    if spread[-1] > 5 * _OFF:
        fitted, *_ = np.linalg.lstsq(told[met], nearest, rcond=None)
        moved = (told @ fitted).astype(np.float32)
    else:
        moved = moved + (nearest - moved[met]).mean(axis=0)
    return moved if _met(moved, seen, _NEAR).sum() >= _MOST * met.sum() else None


def _move(before: Plane, after: Plane) -> Plane:
    """The move that most places have in common."""
    moves = (after[None] - before[:, None]).reshape(-1, 2)
    bins = np.floor(moves / np.float32(_OFF)).astype(np.int64)
    bins -= bins.min(axis=0)
    counts = np.zeros(bins.max(axis=0) + 1, np.float32)
    np.add.at(counts, tuple(bins.T), 1)
    most = np.array(np.unravel_index(cv2.blur(counts, (3, 3), borderType=cv2.BORDER_CONSTANT).argmax(), counts.shape))
    return np.asarray(np.median(moves[np.abs(bins - most).max(axis=1) <= 1], axis=0), np.float32)


def _met(moved: Plane, there: Plane, off: float) -> Mask:
    return np.asarray(_distances(moved, there).min(axis=1, initial=np.inf) < off)


def _distances(some: Plane, others: Plane) -> Plane:
    return np.linalg.norm(some[:, None] - others[None], axis=2)
