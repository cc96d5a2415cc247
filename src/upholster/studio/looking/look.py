"""Looking at a shot: pictures of one frame, quick and fine."""

from collections.abc import Callable
from fractions import Fraction
from typing import Literal, NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.core.composite.over import pack_rgba8
from upholster.core.documents.recipe import Recipe
from upholster.core.kernels import row_bands
from upholster.core.pipeline.runner import Plate, key
from upholster.core.pipeline.stage import Changes, Picture
from upholster.core.raster import Raster
from upholster.core.retime import between, pair_of
from upholster.core.stages.take.crop import Crop
from upholster.core.timemap import TimeMap, time_map
from upholster.store.models import Footage
from upholster.studio.errors import Refused
from upholster.studio.looking import plates
from upholster.studio.looking.hand import GoingOn, anyway
from upholster.studio.making.keying import KeyedFrame
from upholster.studio.shots.screens import knowledge
from upholster.studio.traces.mattes import looked_at

Plane = NDArray[np.float32]

#: JPEG quality of pictures for slow links.
_PACKED = 88


class Wanted(NamedTuple):
    """Which picture of a shot is looked at.

    Attributes
    ----------
    frame : int
        Frame of the footage; of the take as it is delivered, where `taken`.
    taken : bool
        Whether frames are counted as they are delivered: at their speed, in their direction, with holds.
    whole : bool
        Whether the borders that the take cuts away are shown as well.
    passing : bool
        Whether it is one of many, made beside others: no core is to be had for a part of it, and what it is made of is
        not looked at again.
    """

    frame: int
    quality: plates.Quality = "quick"
    what: Literal["result", "plate"] = "result"
    taken: bool = False
    whole: bool = False
    passing: bool = False


def picture(footage: Footage, recipe: Recipe, wanted: Wanted, going_on: GoingOn = anyway) -> NDArray[np.uint8]:
    """One picture as the Bench shows it, straight 8-bit RGBA ``(h, w, 4)``: the keyed result or the plate.

    It is cropped and turned as the take has it, and given up where `going_on` raises.
    """
    if wanted.whole:
        recipe = _uncropped(recipe)
    shown = Recipe(take=recipe.take) if wanted.what == "plate" else recipe
    with row_bands(1 if wanted.passing else None):
        made = _taken if wanted.taken else _shot
        found = made(footage, shown, wanted, going_on)
        alpha = np.ones(found.alpha.shape, np.float32) if wanted.what == "plate" else found.alpha
        return pack_rgba8(found.rgb, np.ascontiguousarray(alpha))


def packed(pixels: NDArray[np.uint8]) -> bytes:
    """Straight RGBA ``(h, w, 4)`` as one JPEG for slow links: colour above, coverage as grey below."""
    colour = cv2.cvtColor(pixels, cv2.COLOR_RGBA2BGR)
    cover = cv2.cvtColor(cv2.extractChannel(pixels, 3), cv2.COLOR_GRAY2BGR)
    return cv2.imencode(".jpg", np.concatenate([colour, cover]), [cv2.IMWRITE_JPEG_QUALITY, _PACKED])[1].tobytes()


def raster_of(footage: Footage, recipe: Recipe, *, whole: bool = False) -> Raster:
    """Where the pictures of a shot lie on its plate, at full size; with `whole`, its borders are left on."""
    return (_uncropped(recipe) if whole else recipe).take.result(plates.raster_of(footage))


def _uncropped(recipe: Recipe) -> Recipe:
    take = recipe.take.model_copy(update=dict.fromkeys(Crop.model_fields, 0))
    return recipe.model_copy(update={"take": take})


def _shot(footage: Footage, recipe: Recipe, wanted: Wanted, going_on: GoingOn) -> KeyedFrame:
    """A frame as it was shot."""
    found = keyed(footage, recipe, wanted.frame, wanted.quality, kept=not wanted.passing, going_on=going_on)
    return KeyedFrame(found.rgb, found.alpha)


def _taken(footage: Footage, recipe: Recipe, wanted: Wanted, going_on: GoingOn = anyway) -> KeyedFrame:
    """A frame as it is delivered."""
    times = times_of(footage, recipe)
    if not 0 <= wanted.frame < times.frames:
        raise Refused(f"This take has frames 0 to {times.frames - 1}.")
    mix = times.mix(wanted.frame)
    # The next one may lie between the same two.
    kept = not wanted.passing or bool(mix.weight)
    one, two = (
        keyed(footage, recipe, n, wanted.quality, kept=kept, going_on=going_on) for n in (mix.first, mix.second)
    )
    if not mix.weight:
        return KeyedFrame(one.rgb, one.alpha)
    return KeyedFrame(*between(pair_of((one.rgb, one.alpha), (two.rgb, two.alpha), times.between), mix.weight))


def times_of(footage: Footage, recipe: Recipe) -> TimeMap:
    """Frames of a shot as they are delivered at its own rate."""
    return time_map(recipe.take, int(footage.facts["length"]), Fraction(footage.facts["rate"]))


def taken(footage: Footage, recipe: Recipe, number: int, quality: plates.Quality) -> KeyedFrame:
    """A frame of a shot as its take delivers it."""
    with row_bands():
        return _taken(footage, recipe, Wanted(number, quality, taken=True))


def small(footage: Footage, recipe: Recipe, number: int) -> tuple[Plane, Plane]:
    """A frame of the footage as it is keyed, small: straight colour ``(3, h, w)`` and coverage ``(h, w)``."""
    with row_bands():
        found = keyed(footage, recipe, number)
    return found.rgb, found.alpha


def span_of(footage: Footage, recipe: Recipe) -> tuple[int, int]:
    """The first frame of the footage that is used, and the one after the last."""
    span = times_of(footage, recipe).span
    return span.start, span.stop


def keyed(
    footage: Footage,
    recipe: Recipe,
    number: int,
    quality: plates.Quality = "quick",
    *,
    kept: bool = True,
    going_on: GoingOn = anyway,
) -> Picture:
    """A frame of the footage as it is keyed, with all that was found on the way, which is `kept` for the next look."""
    length = int(footage.facts["length"])

    def plate(n: int) -> Plate:
        frame = plates.frame(footage, n, quality)
        height, width = frame.rgb.shape[1:]
        identity = repr((*plates.as_read(footage), n, quality)).encode()
        raster = plates.raster_of(footage).resized(width, height)
        # Small pictures are kept in whole numbers.
        floating = quality == "fine" and bool(footage.facts.get("floating"))
        return Plate(frame.rgb, frame.alpha, raster, identity, floating)

    def neighbours(reach: int) -> list[Plate]:
        near = range(max(0, number - reach), min(length, number + reach + 1))
        return [plate(n) for n in near if n != number]

    def memo(digest: bytes, stage: Callable[[], Changes]) -> Changes:
        going_on()
        return plates.pictures.get(digest, stage) if kept else stage()

    going_on()
    known = knowledge(footage, recipe.screen)
    traced = looked_at(footage, lambda: plates.proxy_of(footage))
    return key(plate(number), recipe, number, known, neighbours=neighbours, traced=traced, memo=memo)
