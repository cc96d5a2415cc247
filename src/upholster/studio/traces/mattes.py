"""Where the mattes of traces of footage in the house are kept."""

import threading
from collections.abc import Callable
from pathlib import Path

import numpy as np
from cachetools import LRUCache
from numpy.typing import NDArray

from upholster.core.documents.strokes import Strokes
from upholster.core.documents.traces import Trace
from upholster.core.trace import run
from upholster.core.trace.scene import Scene
from upholster.core.trace.seen import Seen, seen
from upholster.media.bakes import Bakes
from upholster.media.proxy import Proxy
from upholster.store.models import Footage
from upholster.studio import paths
from upholster.studio.making.tracing import Mattes

Plane = NDArray[np.float32]

_bakes: LRUCache[Path, Bakes] = LRUCache(20)
_previews: LRUCache[str, Plane] = LRUCache(64 << 20, getsizeof=lambda plane: plane.nbytes)
_scenes: LRUCache[str, Scene] = LRUCache(3)
_lock, _at_one = threading.Lock(), threading.Lock()
#: Small pictures held for what is brushed on.
_HELD = 100


def mattes_of(footage: Footage) -> Mattes:
    """The mattes of traces of footage, as its reading in force has it."""
    folder = paths.footage_folder(footage.sha256) / "bakes"
    with _lock:
        bakes = _bakes.setdefault(folder, Bakes(folder))
    return Mattes(bakes, f"{footage.sha256} {footage.reading_id}", int(footage.facts["length"]))


def looked_at(footage: Footage, proxy: Callable[[], Proxy]) -> Callable[[Trace, int], Plane | None]:
    """The mattes of traces as they are looked at: those that are made, and of frames just brushed on, a first.

    Parameters
    ----------
    proxy
        Gives the small pictures of the footage.
    """
    mattes = mattes_of(footage)

    def traced(trace: Trace, frame: int) -> Plane | None:
        made = mattes.read(trace, frame)
        if made is not None or frame not in trace.anchors:
            return made
        return _preview(footage, proxy, mattes, trace, frame)

    return traced


def prepare(footage: Footage, proxy: Proxy, frame: int) -> None:
    """Look around a frame before the first stroke on it, so that its matte is there at once."""
    with _at_one:
        _scene_of(footage, proxy, mattes_of(footage)).prepare(frame)


def _preview(footage: Footage, proxy: Callable[[], Proxy], mattes: Mattes, trace: Trace, frame: int) -> Plane | None:
    """The matte of a frame that was brushed on, at once, from small pictures."""
    name = mattes.names(trace)[frame]
    with _lock:
        known = _previews.get(name)
    if known is not None:
        return known
    # One at a time: whoever comes next finds what was made.
    with _at_one:
        with _lock:
            known = _previews.get(name)
        if known is not None:
            return known
        scene = _scene_of(footage, proxy(), mattes)
        size = int(footage.facts["width"]), int(footage.facts["height"])
        before = trace.model_copy(update={"strokes": _without(trace.strokes, frame)})
        carried = mattes.read(before, frame) if frame != trace.base else None
        found = run.preview(scene, trace, frame, size, carried).cover
    with _lock:
        _previews[name] = found
    return found


def _without(strokes: Strokes, frame: int) -> Strokes:
    return Strokes(tuple(stroke for stroke in strokes.each if stroke.frame != frame))


def _scene_of(footage: Footage, proxy: Proxy, mattes: Mattes) -> Scene:
    with _lock:
        known = _scenes.get(mattes.identity)
        if known is None:
            held: LRUCache[int, Seen] = LRUCache(_HELD)

            def read(number: int) -> Seen:
                found = held.get(number)
                if found is None:
                    found = held[number] = seen(proxy.frame(number).rgb)
                return found

            known = _scenes[mattes.identity] = Scene(read, mattes.length)
        return known
