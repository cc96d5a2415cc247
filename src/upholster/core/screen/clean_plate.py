"""The clean plate: the screen alone, for every pixel, as if the subject were not there."""

from dataclasses import dataclass, replace
from functools import cached_property
from hashlib import blake2b

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.core.documents.screen import Screen
from upholster.core.grids import resize, spread
from upholster.core.screen.light import light_on
from upholster.core.screen.likeness import like_nearby, nearest
from upholster.core.screen.metric import LUMA_WEIGHT, chroma, to_metric
from upholster.core.screen.propose import primary
from upholster.core.screen.seams import as_empty, with_seams
from upholster.core.screen.survey import Survey
from upholster.core.screen.tracking_marks import TrackingMarks, tracking_marks

Plane = NDArray[np.float32]
Mask = NDArray[np.bool_]

#: Departure from a dark or light ground that is still ground.
_NEAR = 0.03
#: Roughness a smooth cell may have above the grain.
_ROUGH = 0.004
#: Share of the purity nearby below which a cell is taken to be veiled.
_PURE = 0.9
#: How far the hue of a second cloth may be from the first's, as a share of its purity, and that of what passes before
#: it at least; the least part of the picture it takes; the least share of frames on which nothing is before it; and
#: how like what is nearby smaller parts are, in the key's metric.
_HUE, _PASSES, _CLOTH, _OFTEN, _ALIKE = 0.3, 0.6, 0.01, 0.5, 0.03
#: How near a hue must be to be the screen's very own, as a share of its purity; and the part of the picture's border
#: that no veil takes.
_VERY_HUE, _BORDER = 0.05, 0.15
#: How far a patch of another cloth is from the screen around it, in the key's metric.
_PATCH = 0.06
#: Share of the screen's light below which an island is no part of it.
_DIM = 0.6
#: The part of the picture's shorter side that "nearby" spans.
_NEIGHBOURHOOD = 6


@dataclass(frozen=True, eq=False)
class ScreenKnowledge:
    """What a shot knows about its screen.

    Attributes
    ----------
    plate : (3, rows, columns) float32
        The clean plate as a coarse grid over the whole picture, encoded RGB.
    noise : float
        Standard deviation of the grain on the screen, in the key's metric.
    primary : int
        The screen's strongest primary: 0 red, 1 green, 2 blue.
    steady : bool
        Whether the light on it is the same on every frame.
    patches : (rows, columns) bool or None
        Where it is another cloth that reaches no border of the picture, and could as well be tinted glass before it.
    marks : TrackingMarks or None
        What the tracking marks on it look like.
    fine : (3, n, m) float32 or None
        The clean plate in finer cells, where it has seams.
    """

    plate: Plane
    noise: float
    primary: int
    steady: bool = True
    patches: Mask | None = None
    marks: TrackingMarks | None = None
    fine: Plane | None = None

    @property
    def nbytes(self) -> int:
        return self.plate.nbytes + (0 if self.fine is None else self.fine.nbytes)

    @cached_property
    def digest(self) -> bytes:
        """Names this knowledge: equal where everything in it is equal."""
        taken = blake2b(
            repr((self.plate.shape, float(self.noise), self.primary, self.steady, self.marks)).encode(), digest_size=16
        )
        for plane in (self.plate, self.fine):
            if plane is not None:
                taken.update(np.ascontiguousarray(plane).tobytes())
        return taken.digest()


def measure_screen(survey: Survey, screen: Screen, empty: Survey | None = None) -> ScreenKnowledge | None:
    """Clean plate and noise of a surveyed shot; None where the screen has no colour to go by.

    `empty` is a survey of the empty set, where there is one: then it is the clean plate.

    Cells close to the screen's colours, smooth, and as pure as the screen around them are averaged
    over the frames; a thin veil or a soft shadow's edge is near the screen's colour but less pure.
    What the subject always hides is filled in from around it.
    """
    if screen.kind == "none" or not screen.colours:
        return None
    if empty is not None:
        plate = resize(empty.mean.mean(axis=0), survey.mean.shape[3], survey.mean.shape[2])
        known = _known(plate, survey, np.abs(survey.mean - plate).max(axis=1) < _NEAR, screen)
        lit = screen.kind not in ("dark", "light") and any(light_on(plate, cells) is not None for cells in survey.mean)
        return replace(known, steady=not lit, fine=as_empty(plate, empty.still, survey.still))
    colours = np.array(screen.colours, np.float32).T
    if screen.kind in ("dark", "light"):
        plate = _bare_ground(survey.mean, np.float32(1 if screen.kind == "dark" else -1))
        near = np.abs(survey.mean - plate).max(axis=1) < _NEAR
        return _known(plate, survey, near, screen)
    metric = np.stack([to_metric(m) for m in survey.mean])
    distance = np.min([_distance(metric, c) for c in to_metric(colours).T], axis=0)
    near = distance < _reach(colours)
    trusted, patches = _seen_bare(metric, survey.deviation.mean(axis=1), near)
    trusted = _as_marked(metric, trusted, screen)
    if not trusted.any():
        flat = np.broadcast_to(colours.mean(axis=1)[:, None, None], survey.mean.shape[1:]).copy()
        return _known(flat, survey, near, screen)
    plate = _average(survey.mean, trusted)
    lights = [light_on(plate, cells) for cells in survey.mean]
    steady = all(light is None for light in lights)
    if not steady:
        # What is hidden on some frames is to be seen in the light of all.
        alike = [cells if light is None else cells / light for cells, light in zip(survey.mean, lights, strict=True)]
        plate = _average(np.stack(alike), trusted)
    bare = np.asarray(trusted.any(axis=0))
    known = _known(plate, survey, trusted, screen)
    patches &= bare
    fine = with_seams(plate, _mean_where(survey.mean, trusted), bare, patches, survey.still)
    marks = tracking_marks(metric, to_metric(plate), trusted)
    return replace(known, steady=steady, patches=patches, marks=marks, fine=fine)


def _seen_bare(metric: Plane, rough: Plane, near: Mask) -> tuple[Mask, Mask]:
    """Cells on each frame that are nothing but screen, and those ``(rows, columns)`` of patches on it."""
    smooth = rough < 3 * float(np.median(rough[near] if near.any() else rough)) + _ROUGH
    purity = _purity(metric)
    pure = near & smooth & _pure(purity, near & smooth)
    if not pure.any():
        return pure, np.zeros(pure.shape[1:], bool)
    cloth = _other_cloth(metric, purity, pure, smooth)
    bare = pure | cloth
    # What passes before a cell on some frames says nothing of it.
    mean = _mean_where(np.concatenate([metric, purity], axis=1), bare)
    nominal = spread(mean, _main_part(pure))
    before = _before_it(mean, nominal, np.asarray(bare.any(axis=0)))
    other = np.linalg.norm(mean[:3] - nominal[:3], axis=0) > _PATCH
    return bare & ~before, _away_from_border(cloth.any(axis=0) & ~before & other, 0.0)


def _main_part(pure: Mask) -> Plane:
    """One in the largest part of what is pure, zero elsewhere, ``(rows, columns)``."""
    _, labels, sizes, _ = cv2.connectedComponentsWithStats(pure.any(axis=0).astype(np.uint8), connectivity=4)
    largest = (labels == 1 + int(np.argmax(sizes[1:, cv2.CC_STAT_AREA]))).astype(np.float32)
    # The subject throws its own light on what is beside it.
    inner = cv2.erode(largest, np.ones((5, 5), np.uint8)).astype(np.float32, copy=False)
    return inner if inner.any() else largest


def _as_marked(metric: Plane, trusted: Mask, screen: Screen) -> Mask:
    """The trusted cells after what was marked by hand: those like marked ground, and none like other marked things."""
    if not screen.samples:
        return trusted
    ground = nearest(metric, screen.colours)
    marked = nearest(metric, screen.marked(["ground"]))
    other = nearest(metric, screen.marked(["subject", "veil"]))
    alike = np.float32(screen.alike)
    return (trusted | ((marked < alike / 2) & (marked < other))) & ~((other < alike) & (other < ground))


def _known(plate: Plane, survey: Survey, trusted: Mask, screen: Screen) -> ScreenKnowledge:
    rough = survey.deviation.mean(axis=1)
    grain = float(np.median(rough[trusted] if trusted.any() else rough))
    return ScreenKnowledge(plate, grain, primary(screen.colours))


def _distance(metric: Plane, colour: Plane) -> Plane:
    return np.linalg.norm(metric - colour[None, :, None, None], axis=1)


def _reach(colours: Plane) -> float:
    """How far from a nominal colour a cell may lie and still be screen: a share of its strength."""
    return max(0.05, 0.35 * float(chroma(colours).mean()))


def _purity(metric: Plane) -> Plane:
    """Colour difference over luma, ``(n, 2, rows, columns)``: shade scales both alike, a veil or haze lowers it."""
    return metric[:, 1:] / np.maximum(metric[:, :1] / np.float32(LUMA_WEIGHT), np.float32(0.02))


def _pure(purity: Plane, candidates: Mask) -> Mask:
    """Where a cell is about as pure as the screen nearby ever gets."""
    length = np.where(candidates, np.hypot(purity[:, 0], purity[:, 1]), np.float32(0))
    best = length.max(axis=0)
    around = 2 * (min(best.shape) // _NEIGHBOURHOOD) + 1
    envelope = cv2.dilate(best, np.ones((around, around), np.uint8))
    return length > _PURE * np.maximum(best, envelope)


def _other_cloth(metric: Plane, purity: Plane, trusted: Mask, smooth: Mask) -> Mask:
    """Cells of a second cloth or a floor: about the hue of the screen in other light or paint, and always there.

    What moves is no screen, and what is small may be something worn, unless it goes on where a cloth or the screen
    around it leaves off behind what is before them.
    """
    usual = np.median(purity.transpose(1, 0, 2, 3)[:, trusted], axis=1).astype(np.float32)
    # A screen may be as good as grey.
    away = np.linalg.norm(purity - usual[None, :, None, None], axis=1) / max(float(np.linalg.norm(usual)), 1e-6)
    like = (away < _HUE) & smooth
    # On none of the frames is anything to be seen there but that, and what passes before it and is no screen.
    there = (like | (away > _PASSES)).all(axis=0) & (like.mean(axis=0) >= _OFTEN) & ~trusted.any(axis=0)
    count, labels, sizes, _ = cv2.connectedComponentsWithStats(there.astype(np.uint8), connectivity=4)
    large = np.zeros(count, bool)
    large[1:] = sizes[1:, cv2.CC_STAT_AREA] >= _CLOTH * there.size
    cloth = large[labels]
    mean, known = _mean_where(metric, trusted | like), trusted.any(axis=0) | cloth
    return like & (cloth | like_nearby(mean, there & ~cloth, known, _ALIKE))


def _mean_where(planes: Plane, there: Mask) -> Plane:
    """Mean over those frames on which a cell counts, ``(c, rows, columns)``; zero where it does on none."""
    often = np.maximum(there.sum(axis=0, dtype=np.float32), np.float32(1))
    return np.asarray((planes * there[:, None]).sum(axis=0) / often, np.float32)


def _before_it(mean: Plane, nominal: Plane, cells: Mask) -> Mask:
    """Which of the `cells` ``(rows, columns)`` that might be screen are a veil or dark glass before it.

    A veil has the very hue of the screen, but less of it. A pale floor has, too: what takes a good part of the
    picture's border is no veil. Dark glass is an island.

    Parameters
    ----------
    mean, nominal : (5, rows, columns) float32
        Colours in the key's metric and their purity: as they are, and as the main part of the screen would have them.
    cells : (rows, columns) bool
    """
    one, two, own_one, own_two = *mean[3:], *nominal[3:]
    squared = np.maximum(own_one * own_one + own_two * own_two, np.float32(1e-6))
    less = (one * own_one + two * own_two) / squared < np.float32(_PURE)
    very = np.abs(own_one * two - own_two * one) / squared < np.float32(_VERY_HUE)
    dark = mean[0] < np.float32(_DIM) * nominal[0]
    return _away_from_border(cells & less & very, _BORDER) | _away_from_border(cells & dark, 0.0)


def _away_from_border(cells: Mask, share: float) -> Mask:
    """The parts of a mask that take no more than a share of the picture's border."""
    count, labels = cv2.connectedComponents(cells.astype(np.uint8), connectivity=4)
    rim = np.concatenate([labels[0], labels[-1], labels[1:-1, 0], labels[1:-1, -1]])
    away = np.bincount(rim, minlength=count) <= share * len(rim)
    away[0] = False
    return np.asarray(away[labels])


def _bare_ground(mean: Plane, sign: np.float32) -> Plane:
    """The darkest (sign +1) or lightest (-1) a ground gets, in time and nearby: light only adds, ink only takes."""
    low = np.quantile(mean * sign, 0.1, axis=0).astype(np.float32)
    around = np.ones((2 * (low.shape[1] // 4) + 1,) * 2, np.uint8)
    opened = np.stack([cv2.GaussianBlur(cv2.erode(c, around), (0, 0), low.shape[1] / 8) for c in low])
    return np.minimum(opened, low) * sign


def _average(mean: Plane, trusted: Mask) -> Plane:
    """Mean over the frames where a cell is trusted, and over its trusted neighbours."""
    # A cell next to one that is not screen may hold a sliver of the subject.
    sure = np.stack([cv2.erode(t.astype(np.uint8), np.ones((3, 3), np.uint8)) for t in trusted]).astype(np.float32)
    if not sure.any():
        sure = trusted.astype(np.float32)
    count = sure.sum(axis=0)
    mass = cv2.GaussianBlur(count, (0, 0), 1.0)
    total = np.stack([cv2.GaussianBlur((mean[:, c] * sure).sum(axis=0), (0, 0), 1.0) for c in range(3)])
    return spread(total / np.maximum(mass, np.float32(1e-6)), np.minimum(count, np.float32(1)))
