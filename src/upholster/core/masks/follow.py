"""Following what is under a mask: how a patch of the picture moves from frame to frame."""

from collections.abc import Callable, Iterable, Iterator
from contextlib import suppress
from typing import Any, Literal, NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

Grey = NDArray[np.uint8]
Numbers = NDArray[np.float64]
Motion = Literal["translation", "similarity", "affine", "perspective"]

#: Most features that are followed, and how near to each other they may lie, in pixels.
_FEATURES, _APART = 250, 5
#: A feature that does not come back to where it was within so many pixels is not believed.
_COMES_BACK = 0.7
#: How far a believed one may lie off the motion of all, in pixels.
_OFF = 1.0
#: A point of a soft shape is not believed, and with most of them the shape is lost, beyond so many pixels.
_RUNS = 2.0
#: Share of the features that have to be left, and share below which they are chosen anew.
_LEFT, _ANEW = 0.2, 0.55
#: What is compared around a feature, how often it is halved for wide moves, and how far around them all is looked.
_WINDOW, _LEVELS = (21, 21), 4
_AROUND = 48
_UNTIL = (cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_COUNT, 40, 0.003)
#: How motions are called where all pixels are aligned (a similarity is not among them), and until when.
_ALIGNED = {"translation": cv2.MOTION_TRANSLATION, "affine": cv2.MOTION_AFFINE, "perspective": cv2.MOTION_HOMOGRAPHY}
_ALIGN = (cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_COUNT, 8, 1e-4)


class Lost(Exception):
    """What is under the mask cannot be followed (further); the message says why."""


class Step(NamedTuple):
    """How a frame lies to the one that following began with.

    Attributes
    ----------
    matrix : (3, 3) float64
        From places there to places here, in pixels of the pictures.
    error : float
        Median distance by which features miss their place when followed forth and back, in pixels.
    """

    matrix: Numbers
    error: float


def follow(first: Grey, region: Grey, frames: Iterable[Grey], motion: Motion) -> Iterator[Step]:
    """How each of `frames` lies to `first`, by what is in `region` there.

    Parameters
    ----------
    first : (h, w) uint8
    region : (h, w) uint8
        Not 0 where features may be chosen.
    frames : of (h, w) uint8
        The frames after it (or before it, backwards), one after the other.

    Raises
    ------
    Lost
        Where there is nothing to follow, or from some frame on.

    Notes
    -----
    Corners (Shi and Tomasi 1994, "Good features to track") are found on the next frame by pyramids of Lucas and Kanade
    (Bouguet 2000, "Pyramidal implementation of the Lucas Kanade feature tracker"), looked for in the first picture as
    it was moved so far, so that what is off on one frame is not carried on to the next; believed where they come
    back to their place (Kalal, Mikolajczyk and Matas 2010, "Forward-backward error"); and fitted robustly (Fischler and
    Bolles 1981, RANSAC). Where many are lost, as when a subject turns, they are chosen anew on the frame before.
    """
    base, to_base = first, np.eye(3)
    places = _features(base, region)
    now = np.eye(3)
    before = first
    for frame in frames:
        found = _step(base, places, frame, now, motion)
        if found is None or found.share < _ANEW:
            # Begin anew from the frame before, as far as it was followed well.
            anew = _warped(region, now @ to_base, before.shape)
            with suppress(Lost):
                again = _features(before, anew)
                fresh = _step(before, again, frame, np.eye(3), motion)
                if fresh is not None and (found is None or fresh.share > found.share):
                    base, places, to_base = before, again, now @ to_base
                    found = fresh
        if found is None:
            raise Lost("too little of it is found again")
        now = found.matrix
        before = frame
        yield Step(now @ to_base, found.error)


class _Found(NamedTuple):
    matrix: Numbers
    error: float
    share: float


def _features(picture: Grey, region: Grey) -> NDArray[np.float32]:
    found = cv2.goodFeaturesToTrack(picture, _FEATURES, 0.01, _APART, mask=region)
    if found is None or len(found) < 6:
        raise Lost("there is too little under the mask to hold on to; give it more of the subject")
    return cv2.cornerSubPix(picture, found, (3, 3), (-1, -1), _UNTIL).reshape(-1, 2)


def _step(base: Grey, places: NDArray[np.float32], frame: Grey, near: Numbers, motion: Motion) -> _Found | None:
    """The map from `base` to `frame`, looked for around `near`."""
    start = cv2.perspectiveTransform(places[:, None], near)
    height, width = frame.shape
    (left, top), (right, bottom) = start[:, 0].min(axis=0) - _AROUND, start[:, 0].max(axis=0) + _AROUND
    left, top, right, bottom = max(0, int(left)), max(0, int(top)), min(width, int(right)), min(height, int(bottom))
    if right - left < 16 or bottom - top < 16:
        return None
    # Only the part around it is looked at.
    here, part = _shift(-left, -top), frame[top:bottom, left:right]
    moved = _warped(base, here @ near, part.shape)
    start = (start - (left, top)).astype(np.float32)
    there, came = _found_again(moved, part, start)
    back, went = _found_again(part, moved, there)
    missed = np.hypot(*(back - start).reshape(-1, 2).T)
    x, y = start.reshape(-1, 2).T
    inside = (x > 2) & (y > 2) & (x < part.shape[1] - 3) & (y < part.shape[0] - 3)
    good = (came.ravel() == 1) & (went.ravel() == 1) & (missed < _COMES_BACK) & inside
    if good.sum() < 4:
        return None
    matrix, kept = _MOTIONS[motion](places[good], there.reshape(-1, 2)[good] + (left, top))
    if matrix is None or not np.isfinite(matrix).all() or abs(np.linalg.det(matrix[:2, :2])) < 1e-4:
        return None
    share = kept / max(1, len(places))
    if share < _LEFT or kept < 4:
        return None
    return _Found(_refined(base, places, frame, matrix, motion), float(np.median(missed[good])), share)


def _found_again(one: Grey, two: Grey, places: Any) -> tuple[Any, Any]:
    how: Any = {"winSize": _WINDOW, "maxLevel": _LEVELS, "criteria": _UNTIL}
    there, found, _ = cv2.calcOpticalFlowPyrLK(one, two, places, None, **how)
    return there, found


def _refined(base: Grey, places: NDArray[np.float32], frame: Grey, matrix: Numbers, motion: Motion) -> Numbers:
    """The map to which all pixels around the features agree best, not only the features; `matrix` where none is found.

    Notes
    -----
    Evangelidis and Psarakis 2008, "Parametric image alignment using enhanced correlation coefficient maximization".
    """
    kind = _ALIGNED.get(motion)
    if kind is None:
        return matrix
    left, top = np.maximum(np.floor(places.min(axis=0)) - 8, 0).astype(int)
    right, bottom = np.ceil(places.max(axis=0)).astype(int) + 9
    here = matrix @ _shift(left, top)
    here /= here[2, 2]
    start = (here if motion == "perspective" else here[:2]).astype(np.float32)
    try:
        _, found = cv2.findTransformECC(base[top:bottom, left:right], frame, start, kind, _ALIGN, None, 3)
    except cv2.error:
        return matrix
    square = found if motion == "perspective" else np.vstack([found, [0, 0, 1]])
    better: Numbers = square.astype(np.float64) @ _shift(-left, -top)
    # What leaps is another place that looks alike.
    corners = cv2.perspectiveTransform(places[:, None].astype(np.float64), better) - cv2.perspectiveTransform(
        places[:, None].astype(np.float64), matrix
    )
    return better if np.abs(corners).max() < 2 * _OFF else matrix


def _shift(x: float, y: float) -> Numbers:
    return np.array([[1, 0, x], [0, 1, y], [0, 0, 1]], np.float64)


def _warped(picture: Grey, matrix: Numbers, shape: tuple[int, ...]) -> Grey:
    return cv2.warpPerspective(picture, matrix, shape[::-1], flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)


def _translation(one: Any, two: Any) -> tuple[Numbers | None, int]:
    ways = (two - one).astype(np.float64)
    # The shift that most agree with within the bound, among those of the features themselves.
    agree = (np.abs(ways[:, None] - ways[None]).max(axis=2) < _OFF).sum(axis=1)
    kept = np.abs(ways - ways[agree.argmax()]).max(axis=1) < _OFF
    matrix = np.eye(3)
    matrix[:2, 2] = ways[kept].mean(axis=0)
    return matrix, int(kept.sum())


def _similarity(one: Any, two: Any) -> tuple[Numbers | None, int]:
    return _as_square(*cv2.estimateAffinePartial2D(one, two, method=cv2.RANSAC, ransacReprojThreshold=_OFF))


def _affine(one: Any, two: Any) -> tuple[Numbers | None, int]:
    return _as_square(*cv2.estimateAffine2D(one, two, method=cv2.RANSAC, ransacReprojThreshold=_OFF))


def _perspective(one: Any, two: Any) -> tuple[Numbers | None, int]:
    return _as_square(*cv2.findHomography(one, two, cv2.RANSAC, _OFF))


def _as_square(matrix: Any, kept: Any) -> tuple[Numbers | None, int]:
    if matrix is None:
        return None, 0
    return np.vstack([matrix, [0, 0, 1]]) if len(matrix) == 2 else matrix, int(kept.sum())


#: One name, one function for each motion.
_MOTIONS: dict[Motion, Callable[[Any, Any], tuple[Numbers | None, int]]] = {
    "translation": _translation,
    "similarity": _similarity,
    "affine": _affine,
    "perspective": _perspective,
}


def carried(points: Numbers, matrix: Numbers) -> Numbers:
    """Points ``(points, 8)`` of a shape under a map of places; handles go along, feathers stay as wide as they are."""
    out = points.copy()

    def placed(x: Numbers, y: Numbers) -> Numbers:
        u, v, w = matrix @ np.stack([x, y, np.ones_like(x)])
        return np.stack([u / w, v / w])

    out[:, :2] = placed(points[:, 0], points[:, 1]).T
    for first in (2, 4):
        ends = placed(points[:, 0] + points[:, first], points[:, 1] + points[:, first + 1]).T
        # A corner without a handle stays one.
        has = np.abs(points[:, first : first + 2]).max(axis=1, keepdims=True) > 0
        out[:, first : first + 2] = np.where(has, ends - out[:, :2], 0)
    return out


def follow_points(first: Grey, points: Numbers, frames: Iterable[Grey]) -> Iterator[tuple[Numbers, float]]:
    """A soft shape on each of `frames`: every point goes its own way, as far as those beside it go along.

    Parameters
    ----------
    first : (h, w) uint8
    points : (points, 8) float64
        A closed shape on it, in pixels of the pictures, as `Course.at` gives it.
    frames : of (h, w) uint8
        The frames after it, one after the other.

    Yields
    ------
    (points, 8) float64
        The shape there.
    float
        Median distance by which its points miss their place when followed forth and back, in pixels.

    Raises
    ------
    Lost
        From the frame on where most of them do not come back.

    Notes
    -----
    Dense inverse search (Kroeger et al. 2016, "Fast optical flow using dense inverse search") between neighbouring
    frames. What is common to all points is fitted as an affine motion; what is left to each is averaged with its
    neighbours along the outline, so that no single one runs away.
    """
    flow = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_FAST)
    before, now = first, points
    for frame in frames:
        there, back = flow.calc(before, frame, None), flow.calc(frame, before, None)
        ways = _read(there, now[:, :2])
        missed = np.hypot(*(ways + _read(back, now[:, :2] + ways)).T)
        if np.median(missed) > _RUNS:
            raise Lost("most of its points do not come back to their place")
        matrix = _common(now[:, :2], ways, missed)
        moved = carried(now, matrix)
        # A point that is not believed goes with all.
        own = np.where((missed < _RUNS)[:, None], now[:, :2] + ways - moved[:, :2], 0.0)
        for _ in range(2):
            own = (np.roll(own, 1, axis=0) + 2 * own + np.roll(own, -1, axis=0)) / 4
        moved[:, :2] += own
        before, now = frame, moved
        yield now, float(np.median(missed))


def _read(flow: NDArray[np.float32], places: Numbers) -> Numbers:
    """The flow around places, ``(n, 2)``: what lies near them, averaged; outside the picture, that at its rim."""
    height, width = flow.shape[:2]
    calm = cv2.GaussianBlur(flow, (0, 0), 2.0)
    x, y = (places[:, axis].clip(0, most - 1).astype(np.float32) for axis, most in ((0, width), (1, height)))
    return cv2.remap(calm, x[:, None], y[:, None], cv2.INTER_LINEAR)[:, 0].astype(np.float64)


def _common(places: Numbers, ways: Numbers, missed: Numbers) -> Numbers:
    """The affine map that points share, by least squares, those that come back counting for more."""
    weights = 1 / (0.1 + missed)
    known = np.column_stack([places, np.ones(len(places))])
    found, _, rank, _ = np.linalg.lstsq(known * weights[:, None], (places + ways) * weights[:, None], rcond=None)
    matrix = np.eye(3)
    if rank == 3:
        matrix[:2] = found.T
    else:
        matrix[:2, 2] = np.average(ways, axis=0, weights=weights)
    return matrix
