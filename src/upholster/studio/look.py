"""Looking at a shot: pictures of one frame, quick and fine, and what can be read off them."""

import threading
from collections.abc import Callable, Hashable
from pathlib import Path
from typing import Any, Literal, NamedTuple, TypeVar

import numpy as np
from cachetools import LRUCache
from numpy.typing import NDArray
from sqlalchemy import select

from upholster.core import instruments
from upholster.core.composite import pack_rgba8
from upholster.core.kernels import row_bands
from upholster.core.key import Keyed, key
from upholster.core.recipe import Recipe, Sample
from upholster.media.decoder.cache import ReaderCache
from upholster.media.decoder.frames import Frame
from upholster.media.decoder.reader import Reader
from upholster.media.proxy import Proxy
from upholster.store.models import Footage, Shot
from upholster.store.session import session
from upholster.studio import places
from upholster.studio.bring_in import source_of
from upholster.studio.errors import Missing, Refused
from upholster.studio.kept import KNOWLEDGE, PICTURES, Kept
from upholster.studio.screens import knowledge
from upholster.studio.shots import open_shot

Plane = NDArray[np.float32]
Quality = Literal["quick", "fine"]
T = TypeVar("T")


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
            select(Footage.id, Footage.reading_id).join(Shot).where(Shot.id == shot_id, Footage.state == "ready")
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


def picture(
    footage: Footage, recipe: Recipe, number: int, quality: Quality, what: Literal["result", "plate"]
) -> NDArray[np.uint8]:
    """One frame as the Bench shows it, straight 8-bit RGBA ``(h, w, 4)``: the keyed result or the plate."""
    with row_bands():
        if what == "plate":
            frame = _frame(footage, number, quality)
            return pack_rgba8(frame.rgb, np.ones(frame.rgb.shape[1:], np.float32))
        keyed = _keyed(footage, recipe, number, quality)
        return pack_rgba8(keyed.rgb, keyed.alpha)


def instrument(footage: Footage, recipe: Recipe, number: int, name: str) -> Any:
    """What a small instrument of the work order shows of one frame."""
    with row_bands():
        keyed = _keyed(footage, recipe, number, "quick")
    match name:
        case "histogram":
            return instruments.histogram(keyed.pulled)
        case "profile":
            scale = keyed.alpha.shape[1] / int(footage.facts["width"])
            return instruments.edge_profile(keyed.pulled, keyed.alpha, scale)._asdict()
        case "chroma":
            known = knowledge(footage, recipe.screen)
            return {
                "plate": instruments.chroma_plane(_frame(footage, number, "quick").rgb),
                "screen": instruments.chroma_plane(known.plate) if known else [],
            }
        case _:
            raise Refused("There is no such instrument.")


def readout(footage: Footage, recipe: Recipe, number: int, x: int, y: int) -> Readout:
    """Plate and result at pixel (x, y) of the plate."""
    frame = _frame(footage, number, "fine")
    height, width = frame.rgb.shape[1:]
    if not (0 <= x < width and 0 <= y < height):
        raise Refused("That point lies outside the picture.")
    with row_bands():
        keyed = _keyed(footage, recipe, number, "fine")
    r, g, b = (float(v) for v in frame.rgb[:, y, x])
    kr, kg, kb = (float(v) for v in keyed.rgb[:, y, x])
    return Readout((r, g, b), (kr, kg, kb, float(keyed.alpha[y, x])))


def sample(footage: Footage, number: int, x: float, y: float, radius: float) -> Sample:
    """Measure the mean colour of a square of the plate."""
    rgb = _frame(footage, number, "fine").rgb
    height, width = rgb.shape[1:]
    left, right = max(0, int(x - radius)), min(width, int(x + radius) + 1)
    top, bottom = max(0, int(y - radius)), min(height, int(y + radius) + 1)
    if left >= right or top >= bottom:
        raise Refused("That point lies outside the picture.")
    r, g, b = (float(v) for v in rgb[:, top:bottom, left:right].mean(axis=(1, 2)))
    return Sample(frame=number, x=x, y=y, radius=radius, colour=(r, g, b))


def proxy_of(footage: Footage) -> Proxy:
    """The small pictures of footage."""
    path = places.reading_folder(footage.sha256, footage.reading_id) / "proxy"
    return _proxies.get(path, lambda: _open_proxy(path, int(footage.facts["length"])))


def _open_proxy(path: Path, length: int) -> Proxy:
    try:
        return Proxy(path, length)
    except OSError:
        raise Missing("This footage is not here any more, or is read anew just now. Load the page again.") from None


def _keyed(footage: Footage, recipe: Recipe, number: int, quality: Quality) -> Keyed:
    frame = _frame(footage, number, quality)
    scale = frame.rgb.shape[2] / int(footage.facts["width"])
    known = knowledge(footage, recipe.screen)
    here = (*_bytes_as_read(footage), number, quality)

    def memo(name: Hashable, compute: Callable[[], T]) -> T:
        return _pictures.get((*here, name), compute)

    def around() -> list[Plane]:
        length = int(footage.facts["length"])
        return [_frame(footage, n, quality).rgb for n in (number - 1, number + 1) if 0 <= n < length]

    return key(frame.rgb, recipe, number, known, scale=scale, carried=frame.alpha, around=around, memo=memo)


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
    with _readers.using(_bytes_as_read(footage), lambda: Reader(source.files, source.facts)) as reader:
        return reader.frame(number)
