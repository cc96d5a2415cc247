"""What colours the subject and its ground have: many small overlapping windows, each with colours of its own.

After Bai, Wang, Simons and Sapiro 2009, "Video SnapCut: robust video object cutout using localized classifiers", with
histograms in the place of mixtures of Gaussians and a lattice in the place of windows along the outline.
"""

from typing import NamedTuple, Self

import numpy as np
from numpy.typing import NDArray

from upholster.core.kernels import compiled, inlined
from upholster.core.trace.seen import Bytes

Plane = NDArray[np.float32]
Counts = NDArray[np.float32]

#: How far apart windows lie, and how far each reaches, in pixels.
STEP, REACH = 32, 40
#: Bins of each channel.
_BINS = 16
#: Coverage below and above which a pixel counts as ground and as subject.
_OUT, _IN = np.float32(0.1), np.float32(0.9)
#: What is added to both densities, so that a colour nobody saw tells nothing.
_LITTLE = np.float32(2e-4)
#: Fewer pixels than this of either kind tell nothing of a window.
_FEWEST = 30
#: Pixels that a window's trust is measured on: every so many in either direction.
_EVERY = 2


class Range(NamedTuple):
    """Which colours the bins part: lowest value and width of a bin of each channel."""

    low: NDArray[np.float32]
    width: NDArray[np.float32]

    @classmethod
    def of(cls, lab: Bytes) -> Self:
        """The colours that a picture has, but for the rarest."""
        low, high = np.percentile(lab[::4, ::4].reshape(-1, 3), (0.5, 99.5), axis=0)
        width = np.maximum(high - low, 32) / (_BINS - 3)
        return cls((low - width).astype(np.float32), width.astype(np.float32))


class Windows(NamedTuple):
    """Colours learnt in windows on a lattice over a part of a picture, the first at its upper left corner.

    Attributes
    ----------
    densities : (rows, columns, 2, 16, 16, 16) float32
        Of ground and of subject, each summing up to 1 or empty.
    trust : (rows, columns) float32
        How well they part what they were learnt from, 0..1.
    colours : Range
    """

    densities: Counts
    trust: Plane
    colours: Range


def learnt(lab: Bytes, cover: Plane, colours: Range, near: Bytes) -> Windows:
    """Colours of a part of a picture, from what is known to cover it.

    Parameters
    ----------
    lab : (h, w, 3) uint8
    cover : (h, w) float32
        Coverage 0..1; what is between tells nothing.
    near : (h, w) uint8
        Not 0 near the outline, where windows have to tell one from the other.
    """
    height, width = cover.shape
    shape = (height - 1) // STEP + 2, (width - 1) // STEP + 2
    counts = np.zeros((*shape, 2, _BINS, _BINS, _BINS), np.float32)
    wanted = np.zeros(shape, np.bool_)
    _wanted(near, wanted)
    _count(lab, cover, colours.low, colours.width, wanted, counts)
    trust = np.zeros(shape, np.float32)
    _smooth(counts, wanted)
    _measure_trust(lab, cover, near, colours.low, colours.width, wanted, counts, trust)
    return Windows(counts, trust, colours)


def whole(lab: Bytes, cover: Plane, colours: Range) -> Windows:
    """Colours of all of a picture as one window."""
    counts = np.zeros((1, 1, 2, _BINS, _BINS, _BINS), np.float32)
    _count_all(lab, cover, colours.low, colours.width, counts[0, 0])
    _smooth(counts, np.ones((1, 1), np.bool_))
    return Windows(counts, np.ones((1, 1), np.float32), colours)


@compiled
def _wanted(near, wanted):
    for row in range(0, near.shape[0], 4):
        for column in range(0, near.shape[1], 4):
            if near[row, column]:
                y, x = row // STEP, column // STEP
                wanted[y : y + 2, x : x + 2] = True


@inlined
def _bin(value, low, width):
    return min(max(np.int32((np.float32(value) - low) / width), 0), _BINS - 1)


@compiled
def _count(lab, cover, low, width, wanted, counts):
    rows, columns = wanted.shape
    for row in range(cover.shape[0]):
        first_row, last_row = max(0, (row - REACH + STEP - 1) // STEP), min(rows - 1, (row + REACH) // STEP)
        for column in range(cover.shape[1]):
            known = cover[row, column]
            if _OUT <= known <= _IN:
                continue
            kind = 1 if known > _IN else 0
            light = _bin(lab[row, column, 0], low[0], width[0])
            a = _bin(lab[row, column, 1], low[1], width[1])
            b = _bin(lab[row, column, 2], low[2], width[2])
            first, last = max(0, (column - REACH + STEP - 1) // STEP), min(columns - 1, (column + REACH) // STEP)
            for y in range(first_row, last_row + 1):
                for x in range(first, last + 1):
                    if wanted[y, x]:
                        counts[y, x, kind, light, a, b] += 1


@compiled
def _count_all(lab, cover, low, width, counts):
    for row in range(cover.shape[0]):
        for column in range(cover.shape[1]):
            known = cover[row, column]
            if known < _OUT or known > _IN:
                light = _bin(lab[row, column, 0], low[0], width[0])
                a = _bin(lab[row, column, 1], low[1], width[1])
                b = _bin(lab[row, column, 2], low[2], width[2])
                counts[1 if known > _IN else 0, light, a, b] += 1


@compiled
def _smooth(counts, wanted):
    """Spread what was counted over neighbouring bins, and make it a density; nothing where too little was counted."""
    spread = np.empty((_BINS, _BINS, _BINS), np.float32)
    half, quarter = np.float32(0.5), np.float32(0.25)
    for y in range(wanted.shape[0]):
        for x in range(wanted.shape[1]):
            if not wanted[y, x]:
                continue
            for kind in range(2):
                part = counts[y, x, kind]
                total = part.sum()
                if total < _FEWEST:
                    part[:] = 0
                    continue
                part /= total
                for light in range(_BINS):
                    below, above = max(light - 1, 0), min(light + 1, _BINS - 1)
                    spread[light] = part[light] * half + (part[below] + part[above]) * quarter
                for a in range(_BINS):
                    below, above = max(a - 1, 0), min(a + 1, _BINS - 1)
                    part[:, a] = spread[:, a] * half + (spread[:, below] + spread[:, above]) * quarter
                for b in range(_BINS):
                    below, above = max(b - 1, 0), min(b + 1, _BINS - 1)
                    spread[:, :, b] = part[:, :, b] * half + (part[:, :, below] + part[:, :, above]) * quarter
                part[:] = spread


@inlined
def _floor(value):
    return min(max(np.int32(value), 0), _BINS - 2)


@inlined
def _share(densities, light, a, b):
    """How likely a colour, in bins and fractions, is the subject's: between bins, linear."""
    ground = subject = np.float32(0.0)
    light, a, b = light - np.float32(0.5), a - np.float32(0.5), b - np.float32(0.5)
    light0, a0, b0 = _floor(light), _floor(a), _floor(b)
    one = np.float32(1.0)
    f_light, fa, fb = min(max(light - light0, 0), one), min(max(a - a0, 0), one), min(max(b - b0, 0), one)
    for i in range(2):
        w_light = f_light if i else one - f_light
        for j in range(2):
            wa = w_light * (fa if j else one - fa)
            for k in range(2):
                weight = wa * (fb if k else one - fb)
                ground += weight * densities[0, light0 + i, a0 + j, b0 + k]
                subject += weight * densities[1, light0 + i, a0 + j, b0 + k]
    return (subject + _LITTLE) / (subject + ground + np.float32(2.0) * _LITTLE)


@compiled
def _measure_trust(lab, cover, near, low, width, wanted, densities, trust):
    rows, columns = wanted.shape
    wrong, total = np.zeros(wanted.shape, np.float32), np.zeros(wanted.shape, np.float32)
    for row in range(0, cover.shape[0], _EVERY):
        first_row, last_row = max(0, (row - REACH + STEP - 1) // STEP), min(rows - 1, (row + REACH) // STEP)
        for column in range(0, cover.shape[1], _EVERY):
            known = cover[row, column]
            if not near[row, column] or _OUT <= known <= _IN:
                continue
            light = (lab[row, column, 0] - low[0]) / width[0]
            a = (lab[row, column, 1] - low[1]) / width[1]
            b = (lab[row, column, 2] - low[2]) / width[2]
            first, last = max(0, (column - REACH + STEP - 1) // STEP), min(columns - 1, (column + REACH) // STEP)
            for y in range(first_row, last_row + 1):
                for x in range(first, last + 1):
                    if wanted[y, x]:
                        wrong[y, x] += abs(_share(densities[y, x], light, a, b) - known)
                        total[y, x] += 1
    for y in range(rows):
        for x in range(columns):
            if total[y, x] > 0:
                trust[y, x] = max(np.float32(0.0), np.float32(1.0) - np.float32(2.0) * wrong[y, x] / total[y, x])


def likelihood(
    windows: Windows, lab: Bytes, places: tuple[NDArray[np.int32], NDArray[np.int32]], moved: NDArray[np.float32]
) -> tuple[Plane, Plane]:
    """How likely pixels are the subject's by their colours, and how far that can be trusted; both 0..1.

    Parameters
    ----------
    lab : (h, w, 3) uint8
    places : of (n,) int32
        Rows and columns of the pixels in `lab`.
    moved : (n, 2) float32
        Where each was on the picture the windows were learnt from, as x and y.
    """
    share, trust = np.empty(len(moved), np.float32), np.empty(len(moved), np.float32)
    low, width = windows.colours
    _look_up(windows.densities, windows.trust, low, width, lab, *places, moved, share, trust)
    return share, trust


def odds_of(windows: Windows, lab: Bytes) -> Plane:
    """Logarithm of the odds that pixels of a picture are the subject's, by colours of a whole picture; to a bin."""
    ground, subject = windows.densities[0, 0]
    table = np.log((subject + _LITTLE) / (ground + _LITTLE)).astype(np.float32)
    bins = np.arange(256, dtype=np.float32)[:, None]
    index = np.clip((bins - windows.colours.low) / windows.colours.width, 0, _BINS - 1).astype(np.intp)
    light, a, b = (index[:, c][lab[..., c]] for c in range(3))
    return np.asarray(table[light, a, b])


@compiled
def _look_up(densities, trusts, low, width, lab, rows, columns, moved, shares, trust):
    last_y, last_x = trusts.shape[0] - 1, trusts.shape[1] - 1
    for n in range(len(rows)):
        light = (lab[rows[n], columns[n], 0] - low[0]) / width[0]
        a = (lab[rows[n], columns[n], 1] - low[1]) / width[1]
        b = (lab[rows[n], columns[n], 2] - low[2]) / width[2]
        x, y = max(moved[n, 0] / STEP, 0), max(moved[n, 1] / STEP, 0)
        x0, y0 = min(np.int32(x), last_x), min(np.int32(y), last_y)
        total = found = weights = np.float32(0.0)
        for i in range(2):
            for j in range(2):
                v, u = min(y0 + i, last_y), min(x0 + j, last_x)
                beside = max(np.float32(0.0), 1 - abs(y - v)) * max(np.float32(0.0), 1 - abs(x - u))
                weight = beside * trusts[v, u]
                weights += beside
                if weight > 0:
                    found += weight * _share(densities[v, u], light, a, b)
                    total += weight
        shares[n] = found / total if total > 0 else np.float32(0.5)
        trust[n] = total / weights if weights > 0 else np.float32(0.0)
