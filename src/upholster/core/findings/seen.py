"""A keyed frame as the measures look at it.

What is a matter of pixels, coverage, is looked at as it is, in codes of 8 bits; what is a matter of surfaces, colour
and distance, at half the size.
"""

from dataclasses import dataclass
from functools import cached_property
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.core.colour import luma_weights
from upholster.core.raster import scale_of
from upholster.core.screen.metric import LUMA_WEIGHT, TO_METRIC, to_metric

Plane = NDArray[np.float32]
Codes = NDArray[np.uint8]
Mask = NDArray[np.bool_]

#: What is narrower than this is thin.
_THIN = 9.0
#: Least light on a screen, as a share of what it is on the clean plate.
_DIM = 0.3
#: Luma below which a colour's purity means little.
_DARK = 0.1
#: Share of the screen's purity within which a pixel has the screen's colour, in whatever light.
_LIKE = 0.22
#: How far from where they are drawn on a clean plate two cloths may meet, twice, as a share of its width.
_CLOTHS = 0.08
#: How much of the screen's luma goes with all of its hue, where its light falls on something.
_LIGHT = 0.8
#: Encoded value from which a plate is burnt out.
_BURNT = 0.98
#: Coverage as a code of 255: clear up to the first, solid from the second.
CLEAR, SOLID = 13, 243


class Removed(NamedTuple):
    """What a key took away or made otherwise.

    Attributes
    ----------
    luma : (h, w) float32
        Of the subject's own, without the screen's light; negative where it was made lighter.
    hued : (h, w) float32
        Of the screen's light, as a share of its strength.
    """

    luma: Plane
    hued: Plane


@dataclass(frozen=True, eq=False)
class Seen:
    """A frame with what was made of it; all planes of one size.

    Attributes
    ----------
    frame : int
        Its number.
    plate, rgb : (3, h, w) float32
        Encoded RGB 0..1: as it was shot, and the subject's straight colour.
    alpha : (h, w) float32
        Coverage 0..1 as it is delivered.
    raw : (h, w) float32
        Coverage as the key estimates it, before anything drawn or narrowed takes from it.
    clean : (3, rows, columns) float32 or None
        The clean plate over this picture, as a coarse grid; None where nothing is keyed.
    glow : bool
        Whether the subject is light on dark or ink on light, which has no solid inside.
    veils : bool
        Whether half-covered parts are let through on purpose.
    cut : (bool, bool, bool, bool)
        Whether the take cuts away something left, above, right and below.
    """

    frame: int
    plate: Plane
    rgb: Plane
    alpha: Plane
    raw: Plane
    clean: Plane | None
    glow: bool = False
    veils: bool = False
    cut: tuple[bool, bool, bool, bool] = (False, False, False, False)

    @property
    def size(self) -> tuple[int, int]:
        """Width and height."""
        return self.alpha.shape[1], self.alpha.shape[0]

    @property
    def half(self) -> tuple[int, int]:
        """Half the width and height."""
        return max(1, self.size[0] // 2), max(1, self.size[1] // 2)

    @property
    def unit(self) -> float:
        """Pixels of this picture for each of one 960 pixels wide or high."""
        return scale_of(*self.size)

    @cached_property
    def codes(self) -> Codes:
        """Coverage in 0..255."""
        return cv2.convertScaleAbs(self.alpha, alpha=255).astype(np.uint8, copy=False)

    @cached_property
    def raw_codes(self) -> Codes:
        """The key's own coverage in 0..255."""
        return cv2.convertScaleAbs(self.raw, alpha=255).astype(np.uint8, copy=False)

    @cached_property
    def half_codes(self) -> Codes:
        """Coverage at half the size."""
        return cv2.resize(self.codes, self.half, interpolation=cv2.INTER_AREA).astype(np.uint8, copy=False)

    @cached_property
    def half_raw(self) -> Codes:
        """The key's own coverage at half the size."""
        return cv2.resize(self.raw_codes, self.half, interpolation=cv2.INTER_AREA).astype(np.uint8, copy=False)

    @cached_property
    def half_solid(self) -> Codes:
        """1 where it is solid, at half the size."""
        return (self.half_codes >= SOLID).view(np.uint8)

    @cached_property
    def solid(self) -> Codes:
        """1 where it is solid."""
        return (self.codes >= SOLID).view(np.uint8)

    @cached_property
    def depth(self) -> Plane:
        """At half the size: how far each pixel lies inside the body, in pixels of the whole size."""
        if self._body.all():
            return np.full(self._body.shape, np.float32(max(self.size)))
        return 2 * cv2.distanceTransform(self._body, cv2.DIST_L2, 3).astype(np.float32, copy=False)

    @cached_property
    def away(self) -> Plane:
        """At half the size: how far each pixel lies from the body, in pixels of the whole size."""
        if not self._body.any():
            return np.full(self._body.shape, np.float32(max(self.size)))
        return 2 * cv2.distanceTransform(1 - self._body, cv2.DIST_L2, 3).astype(np.float32, copy=False)

    @cached_property
    def _body(self) -> Codes:
        """What is half covered at least, without lone specks."""
        covered = (self.half_codes > 127).view(np.uint8)
        return cv2.morphologyEx(covered, cv2.MORPH_OPEN, square(2 * self.unit)).astype(np.uint8, copy=False)

    @cached_property
    def thin(self) -> Mask:
        """At half the size: hair, wires and what lies beside them, where neither place nor coverage is sure.

        What an opening takes away (the top hat of Meyer, in Serra 1982, "Image Analysis and Mathematical Morphology",
        chapter XII).
        """
        slender = cv2.morphologyEx(self.half_codes, cv2.MORPH_TOPHAT, square(_THIN * self.unit / 2))
        return cv2.dilate((slender > 25).view(np.uint8), square(2.5 * _THIN * self.unit / 2)) > 0

    @cached_property
    def half_plate(self) -> Plane:
        return _smaller(self.plate, self.half)

    @cached_property
    def half_rgb(self) -> Plane:
        # Averaged by coverage: what a clear pixel would look like means nothing.
        cover = np.maximum(cv2.resize(self.alpha, self.half, interpolation=cv2.INTER_AREA), np.float32(1e-3))
        return self._premultiplied / cover

    @cached_property
    def _premultiplied(self) -> Plane:
        return _smaller(self.rgb * self.alpha, self.half)

    @cached_property
    def grey(self) -> Codes:
        """The plate's luma at a third of its size, on which motion is looked for."""
        third = max(32, self.size[0] // 3), max(32, self.size[1] // 3)
        luma = cv2.resize(luma_of(self.half_plate), third, interpolation=cv2.INTER_AREA)
        return cv2.convertScaleAbs(luma, alpha=255).astype(np.uint8, copy=False)

    @cached_property
    def like_screen(self) -> Mask:
        """At half the size: where the plate has the screen's hue and purity, in whatever light."""
        if self.clean is None:
            return np.zeros(self.half[::-1], bool)
        here = _purity(self.half_plate)
        there = [cv2.resize(c, self.half) for c in _purity(self.clean)]
        apart = (here[0] - there[0]) ** 2 + (here[1] - there[1]) ** 2
        return apart < np.float32(_LIKE**2) * (there[0] ** 2 + there[1] ** 2)

    @cached_property
    def share(self) -> Plane:
        """At half the size: how much of the screen's colour difference the plate has, 1 or more for all of it.

        Zero where the screen has no hue.
        """
        if self.clean is None or not self.hue[2]:
            return np.zeros(self.half[::-1], np.float32)
        _, *here = _metric(self.half_plate)
        one, two = _metric(self.clean)[1:]
        # Where two cloths meet, or a fold is, the paler of them is as good a screen.
        least = cv2.erode(one * one + two * two, square(_CLOTHS * one.shape[1]), borderType=cv2.BORDER_REPLICATE)
        one, two, least = (cv2.resize(c, self.half) for c in (one, two, least))
        share = (here[0] * one + here[1] * two) / np.maximum(least, np.float32(1e-4))
        bare = share[::4, ::4][self.half_codes[::4, ::4] <= CLEAR]
        # In less light than the clean plate's, less is all of it.
        return share / np.clip(np.quantile(bare, 0.1), _DIM, 1).astype(np.float32) if bare.size else share

    @cached_property
    def unexplained(self) -> Codes:
        """At half the size: coverage and the screen's share of the plate together, less one; a code for -1..1.

        Zero where they go together, as of a grey thing before the screen however much it covers; below where the
        coverage is less than the plate says. Without the screen's hue it tells nothing.
        """
        share = np.clip(self.share, np.float32(0), np.float32(1))
        return cv2.convertScaleAbs(self.half_codes.astype(np.float32) + 255 * share, alpha=0.5).astype(
            np.uint8, copy=False
        )

    @cached_property
    def half_cover(self) -> Plane:
        """Coverage 0..1 at half the size."""
        return self.half_codes.astype(np.float32) / np.float32(255)

    @cached_property
    def removed(self) -> Removed:
        """At half the size: what the plate has and the result over the clean plate has not; zero without a screen."""
        nothing = np.zeros(self.half[::-1], np.float32)
        if self.clean is None:
            return Removed(nothing, nothing)
        ground = np.stack([cv2.resize(c, self.half) for c in self.clean])
        # A result that is as a whole brighter or darker than the plate has nothing taken away.
        solid = self.half_codes >= SOLID
        there, own = luma_of(self.half_plate)[solid], self.luma[solid]
        gain = float(there @ own) / max(float(own @ own), 1e-6) if own.size else 1.0
        less = self.half_plate - np.float32(gain) * self._premultiplied - (1 - self.half_cover) * ground
        # What is burnt out on the plate may have been anything.
        less *= self.half_plate.max(axis=0) < _BURNT
        luma = luma_of(less)
        x, y, strength = self.hue
        if not strength:
            return Removed(luma, nothing)
        r, g, b = (x * TO_METRIC[1] + y * TO_METRIC[2]) / np.float32(strength)
        hued = (r * less[0] + g * less[1] + b * less[2]).astype(np.float32, copy=False)
        return Removed(luma - hued * np.float32(_LIGHT * luma_of(self.clean).mean()), hued)

    @cached_property
    def hue(self) -> tuple[float, float, float]:
        """The screen's hue as a unit vector of colour differences, and how strong it is; zero where it has none."""
        if self.clean is None or self.glow:
            return 0.0, 0.0, 0.0
        one, two = (float(c.mean()) for c in to_metric(self.clean)[1:])
        strength = float(np.hypot(one, two))
        return (one / strength, two / strength, strength) if strength > 0.02 else (0.0, 0.0, 0.0)

    @cached_property
    def luma(self) -> Plane:
        """At half the size: luma of the result."""
        return self._metric[0] / np.float32(LUMA_WEIGHT)

    @cached_property
    def screen_light(self) -> Plane:
        """At half the size: how much of the screen's hue the result has, as a share of its strength."""
        return self._turned(self.hue[0], self.hue[1])

    @cached_property
    def other_light(self) -> Plane:
        """At half the size: how much of the hue across from that it has; negative for the opposite."""
        return self._turned(-self.hue[1], self.hue[0])

    @cached_property
    def hued(self) -> Plane:
        """At half the size: how pure the screen's hue is in the result, the same in light and in shade."""
        return np.asarray(self.screen_light / np.maximum(self.luma, _DARK), np.float32)

    def _turned(self, x: float, y: float) -> Plane:
        _, one, two = self._metric
        strength = max(self.hue[2], 1e-3)
        return one * np.float32(x / strength) + two * np.float32(y / strength)

    @cached_property
    def _metric(self) -> tuple[Plane, Plane, Plane]:
        return _metric(self.half_rgb)

    @cached_property
    def contrast(self) -> Codes:
        """At half the size: what a wrong coverage does over the worst ground, black or white, in 0..255."""
        luma = cv2.convertScaleAbs(self.luma, alpha=255)
        return np.maximum(luma, 255 - luma).astype(np.uint8, copy=False)

    def seen(self, wrong: Codes) -> Codes:
        """What is seen of wrong coverage over the worst ground, in 0..255; at the whole size, or at half."""
        contrast = self.contrast
        if wrong.shape != contrast.shape:
            contrast = cv2.resize(contrast, self.size, interpolation=cv2.INTER_NEAREST)
        return cv2.multiply(wrong, contrast, scale=1 / 255).astype(np.uint8, copy=False)

    def whole(self, mask: Mask) -> Mask:
        """A mask of half the size at the whole one."""
        return cv2.resize(mask.view(np.uint8), self.size, interpolation=cv2.INTER_NEAREST).view(bool)


def screen_share(seen: Seen, box: tuple[float, float, float, float]) -> float:
    """How much of a box, given as shares of the picture, has the screen's colour on the plate."""
    width, height = seen.half
    left, top, right, bottom = box
    rows = slice(int(top * height), max(int(top * height) + 1, round(bottom * height)))
    columns = slice(int(left * width), max(int(left * width) + 1, round(right * width)))
    return float(seen.like_screen[rows, columns].mean())


def luma_of(rgb: Plane) -> Plane:
    """Luma of encoded RGB, BT.709."""
    r, g, b = luma_weights("bt709")
    return (np.float32(r) * rgb[0] + np.float32(g) * rgb[1] + np.float32(b) * rgb[2]).astype(np.float32, copy=False)


def disc(width: float) -> Codes:
    """A round element of about so many pixels across, an odd number."""
    side = 2 * round(width / 2) + 1
    return cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (side, side)).astype(np.uint8)


def square(width: float) -> Codes:
    """A square element of about so many pixels across, an odd number: done in two passes, however large."""
    side = 2 * round(width / 2) + 1
    return np.ones((side, side), np.uint8)


def halved(values: Plane) -> Plane:
    """A plane at half its size."""
    size = max(1, values.shape[1] // 2), max(1, values.shape[0] // 2)
    return cv2.resize(values, size, interpolation=cv2.INTER_AREA).astype(np.float32, copy=False)


def _smaller(picture: Plane, size: tuple[int, int]) -> Plane:
    return np.stack([cv2.resize(c, size, interpolation=cv2.INTER_AREA) for c in picture])


def _purity(rgb: Plane) -> tuple[Plane, Plane]:
    """Colour differences over luma: the same in light and in shade."""
    luma, one, two = _metric(rgb)
    light = np.maximum(luma / np.float32(LUMA_WEIGHT), np.float32(0.04))
    return one / light, two / light


def _metric(rgb: Plane) -> tuple[Plane, Plane, Plane]:
    """`to_metric`, by OpenCV, which does it in a third of the time."""
    luma, one, two = cv2.split(cv2.transform(cv2.merge(list(rgb)), TO_METRIC))
    return luma, one, two
