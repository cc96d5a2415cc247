"""A loose garbage mask proposed from the key itself: around the subject, within the screen."""

from collections.abc import Mapping
from typing import Any, NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.core.masks.course import Course
from upholster.core.masks.thinned import thinned
from upholster.core.raster import Raster

Plane = NDArray[np.float32]
Numbers = NDArray[np.float64]

#: Sides of the mask.
_SIDES = 12
#: Room left around the subject, cut off along the screen's rims, and by which keyframes may be off, as shares of the
#: picture's height.
_ROOM, _RIM, _OFF = 0.06, 0.012, 0.035
#: How far the screen may seem to move while the camera stands still, in the same.
_STILL = 0.03
#: Coverage up to which a pixel is screen; from which it may be of something, and from which it surely is.
_CLEAR, _THERE, _SURE = 0.15, 0.2, 0.5
#: Share of the picture a screen has to have, and that has to lie beyond it for a mask to be of use.
_SCREEN, _BEYOND = 0.08, 0.03
#: Share of the largest part within the screen that another has to have to be of the subject.
_PART = 0.01

#: Directions in which a mask is bounded.
_TURNS = np.arange(_SIDES) * 2 * np.pi / _SIDES
_NORMALS = np.stack([np.cos(_TURNS), np.sin(_TURNS)], axis=1)


class Proposal(NamedTuple):
    """A garbage mask.

    Attributes
    ----------
    course : Course
        In pixels of the plate.
    needed : bool
        Whether the screen leaves so much of the picture free, all around a subject that does not reach its rims, that
        nobody would want it otherwise.
    """

    course: Course
    needed: bool


class _Seen(NamedTuple):
    """What of a frame matters: how far its subject reaches in each direction, the corners of its screen, how much lies
    beyond that, and whether the subject is within."""

    subject: Numbers | None
    screen: Numbers
    beyond: float
    alone: bool


def propose(covers: Mapping[int, Plane], raster: Raster) -> Proposal | None:
    """A mask around what is kept within the screen, on all frames; None where no screen is found, or nothing before it.

    Parameters
    ----------
    covers : of (h, w) float32
        Coverage as it is keyed, without masks, by frame of the footage; every few frames are enough.
    raster : Raster
        Where those pictures lie on the plate.

    Notes
    -----
    A convex shape is told by how far it reaches in some fixed directions (its support function), so that it has the
    same few points on every frame: where neighbouring bounds meet. The mask reaches as far as the subject and some
    room, and no corner of it lies outside the screen. Where the screen stays in its place, one shape around all that
    the subject does is enough; where the camera moves, each frame reaches as far as those beside it, so that nothing
    is cut off in between.
    """
    seen = {frame: found for frame, cover in sorted(covers.items()) if (found := _look(cover)) is not None}
    reaches = [each.subject for each in seen.values() if each.subject is not None]
    if not reaches:
        return None
    height = next(iter(covers.values())).shape[0]
    room = _ROOM * height
    screens = [_NORMALS @ each.screen.T for each in seen.values()]
    sides = np.array([side.max(axis=1) for side in screens])
    if np.ptp(sides, axis=0).max() < _STILL * height:
        # The least of the screens that were seen: each is a little off.
        frame, least = min(seen.items(), key=lambda item: cv2.contourArea(item[1].screen.astype(np.float32)))
        keys = [_key(frame, np.max(reaches, axis=0) + room, least.screen, raster)]
    else:
        keys = [_key(frame, reach + room, seen[frame].screen, raster) for frame, reach in _followed(seen).items()]
    course = thinned(Course.read({"keys": keys}), _OFF * raster.plate_height)
    beyond = float(np.median([each.beyond for each in seen.values()]))
    alone = sum(each.alone for each in seen.values()) >= 0.9 * len(seen)
    return Proposal(course, beyond > _BEYOND and alone)


def _key(frame: int, reach: Numbers, screen: Numbers, raster: Raster) -> dict[str, Any]:
    corners = _within(_corners(reach), screen)
    places = [(*raster.on_plate(x, y), 0, 0, 0, 0, 0, 0) for x, y in corners.tolist()]
    return {"frame": frame, "next": "linear", "points": [list(place) for place in places]}


def _followed(seen: Mapping[int, _Seen]) -> dict[int, Numbers]:
    """How far the subject reaches on each frame and those beside it; where none is seen, as on the nearest with one."""
    frames = [frame for frame, each in seen.items() if each.subject is not None]
    out: dict[int, Numbers] = {}
    for frame in seen:
        k = min(range(len(frames)), key=lambda other: abs(frames[other] - frame))  # noqa: B023
        beside = [seen[f].subject for f in frames[max(0, k - 1) : k + 2]]
        out[frame] = np.max([each for each in beside if each is not None], axis=0)
    return out


def _look(cover: Plane) -> _Seen | None:
    clear = (cover < _CLEAR).astype(np.uint8)
    count, labels, stats, _ = cv2.connectedComponentsWithStats(clear, connectivity=8)
    if count < 2:
        return None
    largest = 1 + int(stats[1:, cv2.CC_STAT_AREA].argmax())
    # A subject across the screen parts it; every larger piece of it counts.
    pieces = [n for n in range(1, count) if stats[n, cv2.CC_STAT_AREA] > 0.1 * stats[largest, cv2.CC_STAT_AREA]]
    screen = np.isin(labels, pieces).astype(np.uint8)
    if screen.mean() < _SCREEN:
        return None
    hull = cv2.convexHull(np.argwhere(screen)[:, ::-1].astype(np.int32))
    within = np.zeros_like(screen)
    cv2.fillConvexPoly(within, hull, 1)
    rim = max(1, round(_RIM * cover.shape[0]))
    inner = cv2.erode(within, np.ones((2 * rim + 1, 2 * rim + 1), np.uint8), borderValue=0)
    subject, alone = _subject(cover, inner)
    outer = np.argwhere(inner)
    if not len(outer):
        return None
    corners = cv2.convexHull(outer[:, ::-1].astype(np.int32)).reshape(-1, 2) + 0.5
    reach = None if subject is None else _support(subject)
    return _Seen(reach, corners, 1 - float(within.mean()), alone)


def _subject(cover: Plane, inner: NDArray[np.uint8]) -> tuple[NDArray[np.bool_] | None, bool]:
    """What is kept within the screen, and whether it stands there alone, not reaching in over the rim."""
    count, labels, stats, _ = cv2.connectedComponentsWithStats(_both(cover > _SURE, inner), connectivity=8)
    if count < 2:
        return None, False
    sizes = stats[:, cv2.CC_STAT_AREA]
    most = sizes[1:].max()
    edge = (inner > 0) & (cv2.erode(inner, np.ones((3, 3), np.uint8), borderValue=0) == 0)
    parts, alone = np.zeros(cover.shape, bool), True
    for n in range(1, count):
        if sizes[n] < _PART * most:
            continue
        part = labels == n
        # What reaches in over the screen's rim along its length is of the studio.
        if (part & edge).sum() > 0.35 * np.sqrt(sizes[n]):
            alone = alone and sizes[n] < 0.2 * most
            if sizes[n] < most:
                continue
        parts |= part
    # Veils and soft edges that hang together with it.
    _, labels = cv2.connectedComponents(_both(cover > _THERE, inner), connectivity=8)
    return np.isin(labels, np.unique(labels[parts])) & (labels > 0), alone


def _both(where: NDArray[np.bool_], inner: NDArray[np.uint8]) -> NDArray[np.uint8]:
    return (where & (inner > 0)).astype(np.uint8)


def _support(region: NDArray[np.bool_] | NDArray[np.uint8]) -> Numbers | None:
    """How far the pixels of a region reach in each direction."""
    places = np.argwhere(region)
    if not len(places):
        return None
    hull = cv2.convexHull(places[:, ::-1].astype(np.int32)).reshape(-1, 2) + 0.5
    return (_NORMALS @ hull.T).max(axis=1)


def _within(corners: Numbers, screen: Numbers) -> Numbers:
    """Corners outside of a convex ring drawn to it, towards its middle; then all between them lies within, too."""
    middle = screen.mean(axis=0)
    after = np.roll(screen, -1, axis=0)
    normals = np.stack([after[:, 1] - screen[:, 1], screen[:, 0] - after[:, 0]], axis=1)
    bounds = (normals * (screen - middle)).sum(axis=1)
    outward = np.sign(bounds)[:, None] * normals
    ways = outward @ (corners - middle).T / np.maximum(np.abs(bounds), 1e-9)[:, None]
    return middle + (corners - middle) / np.maximum(ways.max(axis=0), 1)[:, None]


def _corners(reach: Numbers) -> Numbers:
    """Where neighbouring bounds meet, ``(sides, 2)``, once bounds that nothing reaches are drawn in."""
    far = 4 * float(np.abs(reach).max() + 1)
    ring = np.array([[-far, -far], [far, -far], [far, far], [-far, far]])
    for normal, bound in zip(_NORMALS, reach, strict=True):
        ring = _cut(ring, normal, bound)
        if not len(ring):
            return np.zeros((_SIDES, 2))
    tight = (_NORMALS @ ring.T).max(axis=1)
    corners = []
    for k in range(_SIDES):
        pair = [k, (k + 1) % _SIDES]
        corners.append(np.linalg.solve(_NORMALS[pair], tight[pair]))
    return np.array(corners)


def _cut(ring: Numbers, normal: Numbers, bound: float) -> Numbers:
    """What of a convex ring lies on the inner side of a line (Sutherland and Hodgman 1974)."""
    out: list[Numbers] = []
    for here, there in zip(ring, np.roll(ring, -1, axis=0), strict=True):
        one, two = normal @ here - bound, normal @ there - bound
        if one <= 0:
            out.append(here)
        if one * two < 0:
            out.append(here + (there - here) * one / (one - two))
    return np.array(out).reshape(-1, 2)
