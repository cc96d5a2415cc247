"""The plates of a shot: its footage as it was read, small and exact."""

import threading
from collections.abc import Hashable
from pathlib import Path
from typing import Literal

import numpy as np
from cachetools import LRUCache
from numpy.typing import NDArray
from sqlalchemy import select

from upholster.core.raster import Raster
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
from upholster.studio.shots.shots import open_shot

Plane = NDArray[np.float32]
Quality = Literal["quick", "fine"]

#: What was decoded, and what was made of it.
pictures = Kept(PICTURES)
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


def raster_of(footage: Footage) -> Raster:
    return Raster.of_plate(int(footage.facts["width"]), int(footage.facts["height"]))


def must_have(footage: Footage, number: int) -> None:
    """Refuse a frame that footage does not have."""
    length = int(footage.facts["length"])
    if not 0 <= number < length:
        raise Refused(f"This shot has frames 0 to {length - 1}.")


def frame(footage: Footage, number: int, quality: Quality) -> Frame:
    must_have(footage, number)
    name = (*as_read(footage), number, quality, "frame")
    if quality == "quick":
        return pictures.get(name, lambda: proxy_of(footage).frame(number))
    return pictures.get(name, lambda: _exact(footage, number))


def as_read(footage: Footage) -> tuple[Hashable, ...]:
    """What pictures of footage depend on: its bytes, and the reading of them."""
    return footage.sha256, footage.reading_id


def proxy_of(footage: Footage) -> Proxy:
    """The small pictures of footage."""
    path = paths.reading_folder(footage.sha256, footage.reading_id) / "proxy"
    return _proxies.get(path, lambda: _open_proxy(path, int(footage.facts["length"])))


def _open_proxy(path: Path, length: int) -> Proxy:
    try:
        return Proxy(path, length)
    except OSError:
        raise Missing("This footage is not here any more, or is read anew just now. Load the page again.") from None


def _exact(footage: Footage, number: int) -> Frame:
    source = source_of(footage)
    with _readers.using(as_read(footage), lambda: Reader(*source)) as reader:
        return reader.frame(number)
