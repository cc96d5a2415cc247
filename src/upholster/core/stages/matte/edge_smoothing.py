"""Calming the matte's edge along its own course: grain goes, the edge stays as sharp across as it was."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from upholster.core.documents.settings import Settings
from upholster.core.documents.tracks import Track, track
from upholster.core.grids import area
from upholster.core.kernels import compiled, over_rows
from upholster.core.pipeline.stage import Changes, Context, Picture, Stage, covered

Plane = NDArray[np.float32]

#: Squared slope, per pixel of the plate, from which there is an edge to speak of.
_EDGE = 5e-4
#: Weights of the samples one and two pixels along the edge.
_ONE, _TWO = 0.7, 0.25


class EdgeSmoothing(Settings):
    edge_smoothing: Track = track(1.0, 0.0, 1.0, step=0.05, doc="Calm edges along their own course.")


def _run(picture: Picture, context: Context, *, edge_smoothing: float) -> Changes:
    step = picture.raster.length(1.0)
    return covered(smooth_edges(picture.raw_matte, amount=edge_smoothing, step=step), raw=True)


def _applies(context: Context, *, edge_smoothing: float, **others: Any) -> bool:
    # Thin glow has no edge with a course.
    return context.keyed and not context.glow and edge_smoothing > 0


STAGE = Stage("edge_smoothing", ("raw_matte",), _run, "matte", EdgeSmoothing, _applies)


def smooth_edges(matte: Plane, *, amount: float, step: float = 1.0) -> Plane:
    """Matte averaged over five pixels of the plate along its edges, where they run straight enough.

    `step` is the length of a pixel of the plate in this picture.

    Notes
    -----
    Direction and straightness come from the structure tensor, as in coherence-enhancing diffusion
    (Weickert 1999, "Coherence-enhancing diffusion filtering"), taken at half size. Straightness counts
    with its fourth power, so crossing and curling strands are left alone.
    """
    height, width = matte.shape
    if min(height, width) < 10:
        return matte
    half = area(matte[None, : height // 2 * 2, : width // 2 * 2], width // 2, height // 2)[0]
    tensor = np.empty((3, *half.shape), np.float32)
    over_rows(_slopes, half.shape[0], half, tensor)
    out = matte.copy()
    f = np.float32
    # Slopes grow as pictures shrink. Samples further out than two pixels would need a wider margin.
    over_rows(_average, half.shape[0], matte, tensor, f(amount), f(min(step, 1.5)), f(_EDGE / step**2), out)
    return out


@compiled
def _slopes(matte, tensor, first, end):
    """Products of the slopes down and across, per pixel of the whole size (Scharr's weights)."""
    height, width = matte.shape
    a, b = np.float32(3 / 64), np.float32(10 / 64)
    for j in range(first, end):
        above, row, below = matte[max(j - 1, 0)], matte[j], matte[min(j + 1, height - 1)]
        tensor[:, j, 0] = tensor[:, j, width - 1] = np.float32(0)
        for i in range(1, width - 1):
            x = a * (above[i + 1] - above[i - 1] + below[i + 1] - below[i - 1]) + b * (row[i + 1] - row[i - 1])
            y = a * (below[i - 1] - above[i - 1] + below[i + 1] - above[i + 1]) + b * (below[i] - above[i])
            tensor[0, j, i], tensor[1, j, i], tensor[2, j, i] = x * x, x * y, y * y


@compiled
def _average(matte, tensor, amount, step, least, out, first, end):
    rows, columns = tensor.shape[1:]
    half, one, zero = np.float32(0.5), np.float32(1), np.float32(0)
    share = one / np.float32(1 + 2 * _ONE + 2 * _TWO)
    for m in range(max(first, 2), min(end, rows - 2)):
        for k in range(2, columns - 2):
            if tensor[0, m, k] + tensor[2, m, k] < least:
                continue
            across = mixed = down = zero
            for q in range(np.uint32(m - 1), np.uint32(m + 2)):
                for p in range(np.uint32(k - 1), np.uint32(k + 2)):
                    across += tensor[0, q, p]
                    mixed += tensor[1, q, p]
                    down += tensor[2, q, p]
            apart = across - down
            length = np.sqrt(apart * apart + np.float32(4) * mixed * mixed)
            straight = length / (across + down)
            straight *= straight
            weight = amount * straight * straight
            # The edge runs at a right angle to its slope.
            cosine = apart / max(length, np.float32(1e-12))
            dx = -np.sqrt(max(half * (one - cosine), zero)) * step
            dy = np.sqrt(max(half * (one + cosine), zero)) * step
            if mixed < 0:
                dx = -dx
            for j in range(2 * m, 2 * m + 2):
                for i in range(2 * k, 2 * k + 2):
                    near = _at(matte, i + dx, j + dy) + _at(matte, i - dx, j - dy)
                    far = _at(matte, i + dx + dx, j + dy + dy) + _at(matte, i - dx - dx, j - dy - dy)
                    here = matte[j, i]
                    mean = (here + np.float32(_ONE) * near + np.float32(_TWO) * far) * share
                    out[j, i] = here + (mean - here) * weight


@compiled
def _at(matte, x, y):
    """Bilinear value at a point that lies inside the picture."""
    # Unsigned, so compiled code need not look for negative indices.
    i, j = np.uint32(x), np.uint32(y)
    i1, j1 = i + np.uint32(1), j + np.uint32(1)
    u, v = np.float32(x - i), np.float32(y - j)
    upper = matte[j, i] + (matte[j, i1] - matte[j, i]) * u
    lower = matte[j1, i] + (matte[j1, i1] - matte[j1, i]) * u
    return upper + (lower - upper) * v
