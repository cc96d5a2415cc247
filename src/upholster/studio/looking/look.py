"""Looking at a shot: pictures of one frame, quick and fine, and what can be read off them."""

import threading
from collections.abc import Hashable
from fractions import Fraction
from pathlib import Path
from typing import Any, Literal, NamedTuple

import cv2
import numpy as np
from cachetools import LRUCache
from numpy.typing import NDArray
from sqlalchemy import select

from upholster.core import instruments
from upholster.core.composite.over import pack_rgba8
from upholster.core.documents.recipe import Recipe
from upholster.core.documents.screen import Of, Sample
from upholster.core.doubts import Doubt, doubts
from upholster.core.finish.measured import colour_at
from upholster.core.kernels import row_bands
from upholster.core.pipeline.runner import Plate, key
from upholster.core.pipeline.stage import Picture
from upholster.core.raster import Raster
from upholster.core.retime import between, pair_of
from upholster.core.screen.sampled import Spot, read_at
from upholster.core.stages.finish.grade import Grade, tones_of
from upholster.core.stages.take.crop import Crop
from upholster.core.stages.take.turn import Turn
from upholster.core.timemap import TimeMap, time_map
from upholster.media.decoder.cache import ReaderCache
from upholster.media.decoder.frames import Frame
from upholster.media.decoder.reader import Reader
from upholster.media.proxy import Proxy
from upholster.store.models import Footage, Shot
from upholster.store.session import session
from upholster.store.states import FootageState
from upholster.studio import paths
from upholster.studio.errors import Missing, Refused
from upholster.studio.footage.bring_in import source_of
from upholster.studio.looking.kept import KNOWLEDGE, PICTURES, Kept
from upholster.studio.making.keying import KeyedFrame
from upholster.studio.shots.screens import knowledge
from upholster.studio.shots.shots import open_shot
from upholster.studio.traces.mattes import looked_at

Plane = NDArray[np.float32]
Quality = Literal["quick", "fine"]

#: JPEG quality of pictures for slow links.
_PACKED = 88

_pictures = Kept(PICTURES)
_proxies = Kept(KNOWLEDGE)
_readers = ReaderCache(3)

#: The newest footage of each shot that was asked for.
_footage: LRUCache[int, Footage] = LRUCache(500)
_footage_lock = threading.Lock()


def footage_of(shot_id: int) -> Footage:
    """The footage of a shot, as its reading in force has it."""
    with session() as db:
        found = db.execute(
            select(Footage.id, Footage.reading_id)
            .join(Shot)
            .where(Shot.id == shot_id, Footage.state == FootageState.READY)
        ).first()
    with _footage_lock:
        known = _footage.get(shot_id)
    if found is None or known is None or (known.id, known.reading_id) != tuple(found):
        known = open_shot(shot_id).footage
        with _footage_lock:
            _footage[shot_id] = known
    return known


class Readout(NamedTuple):
    """Exact values under the pointer, 0..1."""

    plate: tuple[float, float, float]
    result: tuple[float, float, float, float]


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
    several : bool
        Whether others are made beside it, so that no core is to be had for a part of it.
    """

    frame: int
    quality: Quality = "quick"
    what: Literal["result", "plate"] = "result"
    taken: bool = False
    whole: bool = False
    several: bool = False


def picture(footage: Footage, recipe: Recipe, wanted: Wanted) -> NDArray[np.uint8]:
    """One picture as the Bench shows it, straight 8-bit RGBA ``(h, w, 4)``: the keyed result or the plate.

    It is cropped and turned as the take has it.
    """
    if wanted.whole:
        recipe = _uncropped(recipe)
    shown = Recipe(take=recipe.take) if wanted.what == "plate" else recipe
    with row_bands(1 if wanted.several else None):
        keyed = _taken(footage, shown, wanted) if wanted.taken else _keyed(footage, shown, wanted.frame, wanted.quality)
        alpha = np.ones(keyed.alpha.shape, np.float32) if wanted.what == "plate" else keyed.alpha
        return pack_rgba8(keyed.rgb, np.ascontiguousarray(alpha))


def packed(pixels: NDArray[np.uint8]) -> bytes:
    """Straight RGBA ``(h, w, 4)`` as one JPEG for slow links: colour above, coverage as grey below."""
    colour = cv2.cvtColor(pixels, cv2.COLOR_RGBA2BGR)
    cover = cv2.cvtColor(cv2.extractChannel(pixels, 3), cv2.COLOR_GRAY2BGR)
    return cv2.imencode(".jpg", np.concatenate([colour, cover]), [cv2.IMWRITE_JPEG_QUALITY, _PACKED])[1].tobytes()


def raster_of(footage: Footage, recipe: Recipe, *, whole: bool = False) -> Raster:
    """Where the pictures of a shot lie on its plate, at full size; with `whole`, its borders are left on."""
    return (_uncropped(recipe) if whole else recipe).take.result(_plate_raster(footage))


def _uncropped(recipe: Recipe) -> Recipe:
    take = recipe.take.model_copy(update=dict.fromkeys(Crop.model_fields, 0))
    return recipe.model_copy(update={"take": take})


def _taken(footage: Footage, recipe: Recipe, wanted: Wanted) -> KeyedFrame:
    """A frame as it is delivered."""
    times = times_of(footage, recipe)
    if not 0 <= wanted.frame < times.frames:
        raise Refused(f"This take has frames 0 to {times.frames - 1}.")
    mix = times.mix(wanted.frame)
    one, two = (_keyed(footage, recipe, n, wanted.quality) for n in (mix.first, mix.second))
    if not mix.weight:
        return KeyedFrame(one.rgb, one.alpha)
    return KeyedFrame(*between(pair_of((one.rgb, one.alpha), (two.rgb, two.alpha), times.between), mix.weight))


def times_of(footage: Footage, recipe: Recipe) -> TimeMap:
    """Frames of a shot as they are delivered at its own rate."""
    return time_map(recipe.take, int(footage.facts["length"]), Fraction(footage.facts["rate"]))


def instrument(footage: Footage, recipe: Recipe, number: int, name: str) -> Any:
    """What a small instrument of the work order shows of one frame."""
    # Mattes are compared as they lie before the picture is turned.
    recipe = _upright(recipe)
    with row_bands():
        keyed = _keyed(footage, recipe, number, "quick")
    match name:
        case "histogram":
            return instruments.histogram(keyed.raw_matte)
        case "profile":
            return instruments.edge_profile(keyed.raw_matte, keyed.alpha, keyed.raster.length(1.0))._asdict()
        case "chroma":
            known = knowledge(footage, recipe.screen)
            return {
                "plate": instruments.chroma_plane(_frame(footage, number, "quick").rgb),
                "screen": instruments.chroma_plane(known.plate) if known else [],
            }
        case "tones":
            values = recipe.finish.at(number, Grade)
            return {
                "subject": instruments.primaries(keyed.rgb, keyed.alpha),
                "curves": instruments.tone_curves(tones_of(values)),
            }
        case _:
            raise Refused("There is no such instrument.")


def _upright(recipe: Recipe) -> Recipe:
    upright = recipe.take.model_copy(update={n: field.default for n, field in Turn.model_fields.items()})
    return recipe.model_copy(update={"take": upright})


def readout(footage: Footage, recipe: Recipe, number: int, x: int, y: int) -> Readout:
    """Plate and result at pixel (x, y) of the plate."""
    frame = _frame(footage, number, "fine")
    height, width = frame.rgb.shape[1:]
    if not (0 <= x < width and 0 <= y < height):
        raise Refused("That point lies outside the picture.")
    with row_bands():
        keyed = _keyed(footage, recipe, number, "fine")
    column, row = (int(part) for part in keyed.raster.place(x + 0.5, y + 0.5))
    if not (0 <= column < keyed.alpha.shape[1] and 0 <= row < keyed.alpha.shape[0]):
        raise Refused("That point is cut away.")
    r, g, b = (float(v) for v in frame.rgb[:, y, x])
    kr, kg, kb = (float(v) for v in keyed.rgb[:, row, column])
    return Readout((r, g, b), (kr, kg, kb, float(keyed.alpha[row, column])))


def keyed(footage: Footage, recipe: Recipe, number: int) -> tuple[Plane, Plane]:
    """A frame of the footage as it is keyed, small: straight colour ``(3, h, w)`` and coverage ``(h, w)``."""
    with row_bands():
        picture = _keyed(footage, recipe, number, "quick")
    return picture.rgb, picture.alpha


def picture_of(footage: Footage, recipe: Recipe, number: int) -> Picture:
    """A frame of the footage with all that the key found on the way, small."""
    return _keyed(footage, recipe, number, "quick")


def taken(footage: Footage, recipe: Recipe, number: int, quality: Quality) -> KeyedFrame:
    """A frame of a shot as its take delivers it."""
    with row_bands():
        return _taken(footage, recipe, Wanted(number, quality, taken=True))


def span_of(footage: Footage, recipe: Recipe) -> tuple[int, int]:
    """The first frame of the footage that is used, and the one after the last."""
    span = times_of(footage, recipe).span
    return span.start, span.stop


def subject_colour(footage: Footage, recipe: Recipe, number: int, x: float, y: float, radius: float) -> Plane:
    """The subject's straight colour ``(3,)`` in a square around (x, y) of the plate."""
    with row_bands():
        found = _keyed(footage, recipe, number, "fine")
    return colour_at(found.rgb, found.alpha, found.raster, x, y, radius)


def sample(footage: Footage, number: int, spot: Spot, of: Of) -> Sample:
    """Read the colours of a place that was marked on the plate."""
    rgb = _frame(footage, number, "fine").rgb
    try:
        return read_at(rgb, _plate_raster(footage), spot, of, number)
    except ValueError:
        raise Refused("That point lies outside the picture.") from None


def doubts_of(footage: Footage, recipe: Recipe, number: int) -> list[Doubt]:
    """Where a frame could be something else than it is taken for."""
    recipe = _upright(recipe)
    if recipe.screen.kind not in ("screen", "colour") or recipe.screen.paused:
        return []
    with row_bands():
        picture = _keyed(footage, recipe, number, "quick")
    return doubts(picture.cells, picture.screen_cells, picture.cover, recipe.screen, picture.raster)


def proxy_of(footage: Footage) -> Proxy:
    """The small pictures of footage."""
    path = paths.reading_folder(footage.sha256, footage.reading_id) / "proxy"
    return _proxies.get(path, lambda: _open_proxy(path, int(footage.facts["length"])))


def _open_proxy(path: Path, length: int) -> Proxy:
    try:
        return Proxy(path, length)
    except OSError:
        raise Missing("This footage is not here any more, or is read anew just now. Load the page again.") from None


def _keyed(footage: Footage, recipe: Recipe, number: int, quality: Quality) -> Picture:
    length = int(footage.facts["length"])

    def plate(n: int) -> Plate:
        frame = _frame(footage, n, quality)
        height, width = frame.rgb.shape[1:]
        identity = repr((*_bytes_as_read(footage), n, quality)).encode()
        raster = _plate_raster(footage).resized(width, height)
        # Small pictures are kept in whole numbers.
        floating = quality == "fine" and bool(footage.facts.get("floating"))
        return Plate(frame.rgb, frame.alpha, raster, identity, floating)

    def neighbours(reach: int) -> list[Plate]:
        near = range(max(0, number - reach), min(length, number + reach + 1))
        return [plate(n) for n in near if n != number]

    known = knowledge(footage, recipe.screen)
    traced = looked_at(footage, lambda: proxy_of(footage))
    return key(plate(number), recipe, number, known, neighbours=neighbours, traced=traced, memo=_pictures.get)


def _plate_raster(footage: Footage) -> Raster:
    return Raster.of_plate(int(footage.facts["width"]), int(footage.facts["height"]))


def _frame(footage: Footage, number: int, quality: Quality) -> Frame:
    length = int(footage.facts["length"])
    if not 0 <= number < length:
        raise Refused(f"This shot has frames 0 to {length - 1}.")
    name = (*_bytes_as_read(footage), number, quality, "frame")
    if quality == "quick":
        return _pictures.get(name, lambda: proxy_of(footage).frame(number))
    return _pictures.get(name, lambda: _exact(footage, number))


def _bytes_as_read(footage: Footage) -> tuple[Hashable, ...]:
    """What pictures of footage depend on: its bytes, and the reading of them."""
    return footage.sha256, footage.reading_id


def _exact(footage: Footage, number: int) -> Frame:
    source = source_of(footage)
    with _readers.using(_bytes_as_read(footage), lambda: Reader(*source)) as reader:
        return reader.frame(number)
