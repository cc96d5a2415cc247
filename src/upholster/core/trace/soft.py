"""How far pixels at an outline are covered: between the subject's colours and those of the ground."""

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.core.kernels import clamped, compiled, over_rows
from upholster.core.trace.plate import Ground

Plane = NDArray[np.float32]
Bytes = NDArray[np.uint8]

#: How often a picture is halved to carry colours to where they are not sure.
_HALVED = 7
#: Doubt of a ground that is still believed, in steps of L*a*b*.
_SURE = 10
#: Blur of a sharp edge (sigma), and how near to a guess the walk is where an edge is not sharp.
_LENS, _UNSURE = 0.8, 0.4
#: Square of the distance of two colours, in steps of L*a*b*, at which they begin to tell coverage; and the place of an
#: edge, which noise must not move.
_TELLS, _PLACES = 220.0, 1500.0
#: Blur by which noise is taken out of that place (sigma), and how far into the walk's it may lie, in pixels.
_NOISE, _OUTER = 1.5, 2.0


class Sides(NamedTuple):
    """The colours that meet at an outline, as L*a*b* in steps of `Seen.lab`, each ``(h, w, 3)`` float32."""

    subject: Plane
    behind: Plane


def sides_of(lab: Bytes, label: Plane, unknown: NDArray[np.bool_], ground: Ground | None) -> Sides:
    """The colours to either side of every pixel, carried there from where they are sure.

    Parameters
    ----------
    lab : (h, w, 3) uint8
    label : (h, w) float32
        How likely each pixel is the subject's.
    unknown : (h, w) bool
        Where coverage may lie between.
    ground : Ground or None
        What is behind, where the rest of the clip shows it.
    """
    inside = ((label >= 0.5) & ~unknown).astype(np.float32)
    outside = ((label < 0.5) & ~unknown).astype(np.float32)
    colours = lab.astype(np.float32)
    subject, behind = spread(colours, inside), spread(colours, outside)
    if ground is not None:
        sure = ground.doubt <= _SURE
        behind[sure] = ground.lab[sure]
    return Sides(subject, behind)


def soft_cover(lab: Bytes, label: Plane, unknown: NDArray[np.bool_], sides: Sides) -> Plane:
    """Coverage 0..1 of a part of a picture: where it is not `unknown`, 0 or 1 by `label`.

    Parameters
    ----------
    lab, label, unknown
        As `sides_of` has them.

    Notes
    -----
    The projection of the pixel on the way from the ground's colour to the subject's, ``(C - B).(F - B) / |F - B|^2``.
    Where the two are alike it tells nothing, and what the walk found stands in its place. Where the walk was sure of
    itself, the edge is as sharp as a lens draws it: coverage is half the projection, which has all of the noise, and
    half such an edge. That lies where the projection passes one half: the walk takes whatever is mixed for the
    subject's, since it is unlike the ground.
    """
    within = label >= 0.5
    out = within.astype(np.float32)
    placed = out.copy()
    over_rows(_project_rows, len(out), lab, *sides, label, unknown, out, placed)
    core = cv2.distanceTransform(within.astype(np.uint8), cv2.DIST_L2, 3) > _OUTER
    settled = (within & (cv2.GaussianBlur(placed, (0, 0), _NOISE) >= 0.5)) | core
    sharp = cv2.GaussianBlur(settled.astype(np.float32), (0, 0), _LENS)
    unsure = (unknown & (abs(label - 0.5) < _UNSURE)).astype(np.uint8)
    wide = cv2.dilate(cv2.morphologyEx(unsure, cv2.MORPH_OPEN, np.ones((9, 9), np.uint8)), np.ones((9, 9), np.uint8))
    return np.where(unknown & (wide == 0), (out + sharp) / 2, out)


def spread(colours: NDArray[np.float32], sure: Plane) -> NDArray[np.float32]:
    """Colours ``(h, w, 3)`` carried from where they are sure to where they are not, from what is near.

    Notes
    -----
    Pull and push (Gortler et al. 1996, "The lumigraph"): means of what is sure at half the size, and so on; then back,
    where each size fills what the next larger one does not know.
    """
    sums, weights = [colours * sure[..., None]], [sure]
    while len(sums) < _HALVED and min(sums[-1].shape[:2]) > 3:
        height, width = sums[-1].shape[:2]
        size = ((width + 1) // 2, (height + 1) // 2)
        sums.append(cv2.resize(sums[-1], size, interpolation=cv2.INTER_AREA))
        weights.append(cv2.resize(weights[-1], size, interpolation=cv2.INTER_AREA))
    out = np.asarray(sums[-1] / np.maximum(weights[-1], 1e-6)[..., None], np.float32)
    for total, weight in zip(sums[-2::-1], weights[-2::-1], strict=True):
        wider = cv2.resize(out, weight.shape[::-1], interpolation=cv2.INTER_LINEAR)
        out = np.empty_like(total)
        over_rows(_fill_rows, len(out), total, weight, wider, out)
    return out


@compiled
def _fill_rows(total, weight, wider, out, first_row, end_row):
    for row in range(first_row, end_row):
        for column in range(weight.shape[1]):
            known = weight[row, column]
            for c in range(3):
                here = total[row, column, c] / max(known, np.float32(1e-6))
                share = min(np.float32(2.0) * known, np.float32(1.0))
                out[row, column, c] = wider[row, column, c] + share * (here - wider[row, column, c])


@compiled
def _project_rows(colours, subject, behind, label, unknown, out, placed, first_row, end_row):
    for row in range(first_row, end_row):
        for column in range(out.shape[1]):
            if not unknown[row, column]:
                continue
            far = np.float32(0.0)
            along = np.float32(0.0)
            for c in range(3):
                way = subject[row, column, c] - behind[row, column, c]
                far += way * way
                along += way * (np.float32(colours[row, column, c]) - behind[row, column, c])
            share = clamped(along / max(far, np.float32(1.0)), np.float32(1.0))
            told = far / (far + np.float32(_TELLS))
            out[row, column] = told * share + (np.float32(1.0) - told) * label[row, column]
            told = far / (far + np.float32(_PLACES))
            placed[row, column] = told * share + (np.float32(1.0) - told) * label[row, column]
