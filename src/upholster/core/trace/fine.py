"""A small network's word on the coverage of single pixels along a traced outline: strands, fur, and what lies between.

What belongs to a subject is found in its windows and at half the size; strands are finer. Blocks of two by two pixels
are looked at along the outline, where the clean plate disputes what was found near it, and, where there is none, near
what was partly covered before: so strands that were found are followed, and grow. The network was trained on drawn
clips (`bench/learn`).
"""

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.core.kernels import compiled, over_rows
from upholster.core.places import BLOCK, SparseNetwork, row_starts
from upholster.core.trace.geometry import Mask
from upholster.core.trace.plate import UNKNOWN, Ground
from upholster.core.trace.seen import Bytes
from upholster.core.trace.soft import Sides

Plane = NDArray[np.float32]

#: What is told of a block.
TOLD = 48
#: How far from the outline all blocks are asked about, and those that the clean plate disputes, outside and inside.
_NEAR, _OUT, _IN = 6, 72, 40
#: Distance from the clean plate in steps of `lab`, beyond its doubt, from which on it disputes what is outside, and
#: up to which what is inside; of the latter also by the distance of the subject's colours.
_OFF, _ALIKE, _BETWEEN = 12.0, 8.0, 0.6
#: Coverage that was expected outside, from which on it is asked about again where no clean plate is known, and about
#: blocks as far from it.
_THERE, _FOLLOWED = 0.1, 2
#: Blocks on a side of the surroundings whose labels and departures are told.
_WIDE, _NEARBY = 15, 9
#: Square of a departure, in steps of `lab`, that tells where the subject's nearby lies.
_TELLING = 100.0
#: What is nearly clear, or nearly solid, is: as much is taken off either end of what the network says.
ENDS = 0.02
NETWORK = SparseNetwork("upholster.core.trace", "fine.npz")


class Known(NamedTuple):
    """What is known of a part of a frame.

    Attributes
    ----------
    lab : (h, w, 3) uint8
    label : (h, w) float32
        How likely each pixel is the subject's.
    cover : (h, w) float32
        Its coverage, as the colours to either side tell it.
    sides : Sides
    ground : Ground or None
    said : (h / 2, w / 2) float32
        Logarithm of the odds by all that spoke of it.
    expected : (h, w) float32
        The coverage it was expected to have, 0..1.
    """

    lab: Bytes
    label: Plane
    cover: Plane
    sides: Sides
    ground: Ground | None
    said: Plane
    expected: Plane

    @property
    def doubt(self) -> Bytes:
        """Of the clean plate, as `Ground` has it, ``(h, w)``."""
        return np.full(self.label.shape, UNKNOWN, np.uint8) if self.ground is None else self.ground.doubt


def corrected(known: Known, away: Plane, held: Mask | None = None) -> Plane:
    """Coverage 0..1 of every pixel, as the network corrects it.

    Parameters
    ----------
    away : (h, w) float32
        Distance to the outline of the label, above 0 inside.
    held : (h, w) bool or None
        Where somebody said what it is, or that it lies between: nothing changes there.
    """
    places = asked(known, away)
    if not len(places):
        return known.cover
    out = known.cover.copy()
    given = NETWORK.answer(told(known, away, places), places)
    over_rows(_hear, len(places), places, given, out)
    if held is not None:
        out[held] = known.cover[held]
    return out


@compiled
def _hear(places, given, out, first, end):
    for n in range(first, end):
        for k in range(BLOCK * BLOCK):
            y, x = BLOCK * places[n, 0] + k // BLOCK, BLOCK * places[n, 1] + k % BLOCK
            value = (out[y, x] + given[n, k] - np.float32(ENDS)) * np.float32(1 / (1 - 2 * ENDS))
            out[y, x] = min(max(value, np.float32(0)), np.float32(1))


def asked(known: Known, away: Plane) -> NDArray[np.int32]:
    """Row and column of each block the network is asked about, ``(n, 2)``, row by row."""
    where = np.zeros(known.said.shape, np.uint8)
    over_rows(_ask, len(where), known.lab, *known.sides, known.doubt, away, where)
    before = cv2.resize(known.expected, where.shape[::-1], interpolation=cv2.INTER_AREA) > _THERE
    outside = away[::BLOCK, ::BLOCK]
    before &= (outside < 0) & (outside > -_OUT) & (known.doubt[::BLOCK, ::BLOCK] == UNKNOWN)
    where |= cv2.dilate(before.astype(np.uint8), np.ones((2 * _FOLLOWED + 1, 2 * _FOLLOWED + 1), np.uint8))
    where = cv2.dilate(where, np.ones((3, 3), np.uint8))
    found = cv2.findNonZero(where)
    if found is None:
        return np.zeros((0, 2), np.int32)
    return np.ascontiguousarray(found.reshape(-1, 2)[:, ::-1])


@compiled
def _ask(lab, subject, behind, doubt, away, where, first, end):
    for j in range(first, end):
        for i in range(where.shape[1]):
            for k in range(BLOCK * BLOCK):
                y, x = BLOCK * j + k // BLOCK, BLOCK * i + k % BLOCK
                far = away[y, x]
                if abs(far) <= np.float32(_NEAR):
                    where[j, i] = 1
                elif doubt[y, x] != UNKNOWN and np.float32(-_OUT) < far < np.float32(_IN):
                    off, apart = np.float32(0), np.float32(0)
                    for c in range(3):
                        step = np.float32(lab[y, x, c]) - behind[y, x, c]
                        off += step * step
                        step = subject[y, x, c] - behind[y, x, c]
                        apart += step * step
                    unsure = np.float32(doubt[y, x])
                    if far < 0:
                        bound = unsure + np.float32(_OFF)
                        where[j, i] |= off > bound * bound
                    else:
                        bound = unsure + np.float32(_ALIKE)
                        where[j, i] |= off < max(bound * bound, np.float32(_BETWEEN**2) * apart)


def told(known: Known, away: Plane, places: NDArray[np.int32]) -> Plane:
    """What the network is told of each of ``(n, 2)`` `places`, which go row by row.

    Returns
    -------
    (n, TOLD) float32
        Colours are L*a*b* in steps of 32. Of the four pixels: 0 to 3 label, 4 to 7 coverage, 8 to 19 departure from
        what is behind (L*, a*, b*), 20 to 23 its length, 24 to 27 how far along the way from what is behind to the
        subject's colour, 28 to 31 along that to the departures nearby. Of the block: 32 to 34 the subject's colour
        from what is behind, 35 to 37 departures nearby, 38 lightness behind, 39 whether the clean plate is known, 40
        its doubt, 41 and 42 distance to the outline, coarse and fine, 43 the odds, 44 label around, 45 how much of that
        is half covered, 46 and 47 share of what departs far, nearby and around.
    """
    rows, columns = known.said.shape
    label = cv2.resize(known.label, (columns, rows), interpolation=cv2.INTER_AREA)
    around = [label, label * (1 - label), *_departures(known)]
    left, top, wide, high = cv2.boundingRect(places[:, ::-1].copy())
    reach = _WIDE // 2 + 1
    part = np.s_[max(0, top - reach) : top + high + reach, max(0, left - reach) : left + wide + reach]
    around.append(around[-1].copy())
    for n, plane in enumerate(around):
        side = _NEARBY if 2 <= n < 6 else _WIDE
        plane[part] = cv2.blur(plane[part], (side, side), borderType=cv2.BORDER_REPLICATE)
    out = np.empty((len(places), TOLD), np.float32)
    over_rows(
        _tell, rows, known.lab, known.label, known.cover, *known.sides, known.doubt, away, known.said, np.stack(around),
        places, row_starts(places, rows), out,
    )  # fmt: skip
    return out


def _departures(known: Known) -> list[Plane]:
    """Departures from what is behind in each block, by how much they tell, and that."""
    rows, columns = known.said.shape
    out = np.empty((4, rows, columns), np.float32)
    over_rows(_depart, rows, known.lab, known.sides.behind, out)
    return list(out)


@compiled
def _depart(lab, behind, out, first, end):
    share = np.float32(1 / BLOCK**2)
    step = np.empty(3, np.float32)
    for j in range(first, end):
        for i in range(out.shape[2]):
            step[:] = np.float32(0)
            for k in range(BLOCK * BLOCK):
                y, x = BLOCK * j + k // BLOCK, BLOCK * i + k % BLOCK
                for c in range(3):
                    step[c] += share * (np.float32(lab[y, x, c]) - behind[y, x, c])
            far = step[0] * step[0] + step[1] * step[1] + step[2] * step[2]
            weight = far / (far + np.float32(_TELLING))
            for c in range(3):
                out[c, j, i] = weight * step[c]
            out[3, j, i] = weight


@compiled
def _tell(lab, label, cover, subject, behind, doubt, away, said, around, places, starts, out, first, end):
    scale, one, zero = np.float32(1 / 32), np.float32(1), np.float32(0)
    way, near, seen = np.empty(3, np.float32), np.empty(3, np.float32), np.empty(3, np.float32)
    for j in range(first, end):
        for n in range(starts[j], starts[j + 1]):
            i, cell = places[n, 1], out[n]
            share = scale / max(around[5, j, i], np.float32(0.01))
            far, strong, light, dark, outline = zero, zero, zero, zero, zero
            for c in range(3):
                way[c] = zero
                near[c] = around[2 + c, j, i] * share
                strong += near[c] * near[c]
            for k in range(BLOCK * BLOCK):
                y, x = BLOCK * j + k // BLOCK, BLOCK * i + k % BLOCK
                for c in range(3):
                    way[c] += np.float32(0.25) * scale * (subject[y, x, c] - behind[y, x, c])
                light += np.float32(0.25) * scale * behind[y, x, 0]
                dark = max(dark, np.float32(doubt[y, x]))
                outline += np.float32(0.25) * away[y, x]
            for c in range(3):
                far += way[c] * way[c]
                cell[32 + c], cell[35 + c] = way[c], near[c]
            far, strong = max(far, np.float32(0.02)), max(strong, np.float32(0.02))
            for k in range(BLOCK * BLOCK):
                y, x = BLOCK * j + k // BLOCK, BLOCK * i + k % BLOCK
                cell[k], cell[4 + k] = label[y, x], cover[y, x]
                length, along, beside = zero, zero, zero
                for c in range(3):
                    seen[c] = scale * (np.float32(lab[y, x, c]) - behind[y, x, c])
                    cell[8 + 4 * c + k] = seen[c]
                    length += seen[c] * seen[c]
                    along += seen[c] * way[c]
                    beside += seen[c] * near[c]
                cell[20 + k] = np.sqrt(length)
                cell[24 + k] = min(max(along / far, -one), np.float32(2))
                cell[28 + k] = min(max(beside / strong, -one), np.float32(2))
            cell[38] = light - np.float32(4)
            cell[39] = one if dark < UNKNOWN else zero
            cell[40] = min(dark, np.float32(40)) * np.float32(0.05) if dark < UNKNOWN else zero
            cell[41] = min(max(outline, np.float32(-72)), np.float32(72)) * np.float32(1 / 24)
            cell[42] = min(max(outline, np.float32(-6)), np.float32(6)) * np.float32(1 / 3)
            cell[43] = min(max(said[j, i], np.float32(-12)), np.float32(12)) * np.float32(0.25)
            cell[44], cell[45] = around[0, j, i], np.float32(4) * around[1, j, i]
            cell[46], cell[47] = around[5, j, i], around[6, j, i]
