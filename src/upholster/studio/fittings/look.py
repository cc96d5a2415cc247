"""Looking at a fitting: a frame of it, from small pictures at once or from exact ones at rest."""

from collections.abc import Hashable
from fractions import Fraction
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from upholster.config import config
from upholster.core.composite.layers import Element, Size, composite, copies, whole
from upholster.core.composite.over import pack_premultiplied8
from upholster.core.documents.fitting import Fitting, Source, changed
from upholster.core.documents.recipe import Finish
from upholster.core.finish import measured
from upholster.core.grids import area
from upholster.core.kernels import row_bands
from upholster.core.timemap import Mix
from upholster.media.decoder.cache import ReaderCache
from upholster.media.decoder.reader import Reader
from upholster.media.errors import MediaError
from upholster.studio.errors import Missing, Refused
from upholster.studio.fittings import proxies, sources
from upholster.studio.looking import look, plates
from upholster.studio.looking.hand import GoingOn, anyway
from upholster.studio.looking.kept import Kept
from upholster.studio.looking.plates import Quality
from upholster.studio.making.elements import element_of, straight
from upholster.studio.making.finishing import spread
from upholster.studio.making.fitting import colour_below, ground_frame
from upholster.studio.making.grounds import filling
from upholster.studio.making.keying import Job
from upholster.studio.making.layer_footage import has_pictures, size_of

Plane = NDArray[np.float32]

_elements = Kept((config().pictures_mib << 20) // 2)
_readers = ReaderCache(6)
#: Longer side of small pictures; those of a layer that is seen small are smaller still.
_SMALL = 960
_SIDES = (160, 320, 640, _SMALL)
#: What stands for a layer whose pictures are not here.
_GONE = Size(640, 360, 1, Fraction(24))


class _Found(NamedTuple):
    """What a layer or a ground is made from, and what its pictures depend on."""

    source: Source
    name: Hashable
    job: Job


def picture(
    fitting: Fitting, number: int, quality: Quality, *, over_ground: bool = True, going_on: GoingOn = anyway
) -> NDArray[np.uint8]:
    """A frame of a fitting, straight 8-bit RGBA ``(h, w, 4)``; small ones are at most `_SMALL` a side.

    It is given up where `going_on` raises.
    """
    if not 0 <= number < fitting.frame.length:
        raise Refused(f"This fitting has frames 0 to {fitting.frame.length - 1}.")
    longest = max(fitting.frame.width, fitting.frame.height)
    shrink = min(1.0, _SMALL / longest) if quality == "quick" else 1.0
    found = {mark: _found(layer.source) for mark, layer in fitting.layers.shown}
    seen = {mark: each for mark, each in found.items() if each is None or has_pictures(each.job)}
    sizes = {mark: size_of(each.job) if each else _GONE for mark, each in seen.items()}

    sides = _sides(fitting, number, sizes, shrink) if quality == "quick" else {}

    def element(mark: str, mix: Mix) -> Element:
        going_on()
        return _element(found[mark], mix, sides.get(mark), fitting.layers.each[mark].finish)

    going_on()
    with row_bands():
        ground = _ground(fitting, number, quality, shrink) if over_ground else None
        return pack_premultiplied8(composite(fitting, number, sizes, element, ground, shrink))


def _sides(fitting: Fitting, number: int, sizes: dict[str, Size], shrink: float) -> dict[str, int]:
    """How large the pictures of each layer have to be, by its longer side, for how large it is seen on a frame."""
    found: dict[str, float] = {}
    for copy in copies(fitting, number, sizes):
        seen = shrink * max(sizes[copy.mark][:2]) * float(np.hypot(*copy.matrix[:, :2]).max())
        found[copy.mark] = max(found.get(copy.mark, 0.0), seen)
    return {mark: next((side for side in _SIDES if side >= seen), _SMALL) for mark, seen in found.items()}


def matched(fitting: Fitting, mark: str) -> Fitting:
    """A fitting in which a layer's colours are moved towards those of the ground, as both were measured."""
    layer = fitting.layers.each.get(mark)
    found = _found(layer.source) if layer else None
    if layer is None or found is None or not has_pictures(found.job):
        raise Refused("This layer has no pictures to be matched.")
    before, length = measured.before_match(layer.finish), size_of(found.job).length
    seen = [
        straight(whole(_element(found, Mix(number, number, 0.0), _SMALL, before))) for number in spread(range(length))
    ]
    shrink = min(1.0, _SMALL / max(fitting.frame.width, fitting.frame.height))
    grounds = [_ground(fitting, number, "quick", shrink) for number in spread(range(fitting.frame.length), 3)]
    pictures = [
        np.broadcast_to(ground, (3, 36, 64)) if ground.size == 3 else ground for ground in grounds if ground is not None
    ]
    if not pictures:
        raise Refused("This fitting has no ground to match a layer to. Choose one above.")
    try:
        finish = measured.in_scene(layer.finish, seen, pictures, "the ground")
    except ValueError as error:
        raise Refused(f"This could not be measured: {error}.") from None
    return changed(fitting, {"layers": {"each": {mark: {"finish": finish.model_dump(mode="json")}}}})


def _found(source: Source) -> _Found | None:
    """What is behind a source; None where it is not here any more."""
    try:
        return _Found(source, _name(source), sources.job_of_source(source))
    except (Missing, Refused, MediaError):
        return None


def _element(found: _Found | None, mix: Mix, side: int | None, finish: Finish) -> Element:
    """A picture of a layer: exact, or small with at most `side` pixels a side."""
    if found is None:
        return _placeholder()
    number = mix.second if mix.weight > 0.5 else mix.first
    kept = _elements.get((found.name, number, side, finish), lambda: _made(found, number, side, finish))
    if kept.rgba.dtype == np.float32:
        return kept
    return kept._replace(rgba=kept.rgba * np.float32(1 / 255))


def _name(source: Source) -> Hashable:
    match source.kind:
        case "shot":
            live = sources.live_shot(source)
            return live.footage.sha256, live.footage.reading_id, live.recipe
        case "clip":
            return "clip", source.id
        case "footage":
            footage = sources.footage_of(source)
            return footage.sha256, footage.reading_id
    raise Refused("a path means nothing here")


def _made(found: _Found, number: int, side: int | None, finish: Finish) -> Element:
    if side is None:
        return element_of(*_frame(found, number, "fine"), finish, number)
    element = element_of(*_within(*_frame(found, number, "quick"), side), finish, number)
    # Small pictures are kept in whole numbers, four times as many of them.
    return element._replace(rgba=(np.clip(element.rgba, 0, 1) * 255 + 0.5).astype(np.uint8))


def _frame(found: _Found, number: int, quality: Quality) -> tuple[Plane, Plane]:
    source = found.source
    if source.kind == "shot":
        live = sources.live_shot(source)
        frame = look.taken(live.footage, live.recipe, number, quality)
        return frame.rgb, frame.alpha
    if source.kind == "footage" and quality == "quick":
        small = plates.proxy_of(sources.footage_of(source)).frame(number)
        return small.rgb, _alpha(small)
    if source.kind == "clip" and quality == "quick":
        small_clip = proxies.small(found.job.footage, number)
        if small_clip is not None:
            return small_clip.rgb, _alpha(small_clip)
    with _readers.using(found.name, lambda: Reader(*found.job.footage)) as reader:
        exact = reader.frame(number)
    return exact.rgb, _alpha(exact)


def _within(rgb: Plane, alpha: Plane, side: int) -> tuple[Plane, Plane]:
    """A straight picture no larger than `side`."""
    shrink = side / max(alpha.shape)
    if shrink >= 1:
        return rgb, alpha
    width, height = max(1, round(alpha.shape[1] * shrink)), max(1, round(alpha.shape[0] * shrink))
    small_alpha = area(np.ascontiguousarray(alpha)[None], width, height)
    colours = area(rgb * alpha, width, height) / np.maximum(small_alpha, np.float32(1e-6))
    return colours.astype(np.float32), small_alpha[0]


def _alpha(frame: Any) -> Plane:
    return frame.alpha if frame.alpha is not None else np.ones(frame.rgb.shape[1:], np.float32)


def _ground(fitting: Fitting, number: int, quality: Quality, shrink: float) -> Plane | None:
    source = fitting.ground.source
    if source is None:
        return colour_below(fitting)
    size = max(1, round(fitting.frame.width * shrink)), max(1, round(fitting.frame.height * shrink))
    found = _found(source)
    if found is None or not has_pictures(found.job):
        return np.full((3, 1, 1), 0.5, np.float32)
    wanted = ground_frame(fitting, found.job, number)
    name = ("ground", found.name, wanted, quality, size)
    return _elements.get(name, lambda: filling(_frame(found, wanted, quality)[0], *size))


def _placeholder() -> Element:
    """Stripes in the place of pictures that are not here."""
    rows, columns = np.mgrid[0:180, 0:320]
    stripes = ((rows + columns) // 16 % 2).astype(np.float32)
    rgba = np.empty((180, 320, 4), np.float32)
    rgba[..., 3] = 0.85
    rgba[..., 0] = 0.65 * 0.85
    rgba[..., 1] = rgba[..., 2] = (0.22 + 0.3 * stripes) * 0.85
    return Element(rgba, 0, 0, 320, 180)
