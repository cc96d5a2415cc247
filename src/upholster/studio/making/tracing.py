"""Tracing footage from its files alone: what is missing of a trace, made and kept."""

import threading
from collections.abc import Callable, Iterator
from contextlib import closing
from hashlib import sha256
from typing import NamedTuple

import numpy as np
from cachetools import LRUCache
from numpy.typing import NDArray

from upholster.core.documents.recipe import Recipe
from upholster.core.documents.traces import Trace
from upholster.core.trace.plan import digests
from upholster.core.trace.run import run
from upholster.core.trace.seen import Seen, seen
from upholster.media.bakes import Bakes
from upholster.media.decoder.reader import Reader
from upholster.studio.making.keying import Footage
from upholster.studio.making.together import together

Plane = NDArray[np.float32]

#: Frames read in one go, and how many are held: as many as a clean plate looks at to either side.
_CHUNK, _HELD = 12, 120

#: Names that were worked out before; a picture asks for one of them at a time.
_names: LRUCache[tuple[object, ...], dict[int, str]] = LRUCache(64)
_lock = threading.Lock()


class Mattes(NamedTuple):
    """The mattes of traces of one footage.

    Attributes
    ----------
    bakes : Bakes
    identity : str
        Names the footage, as it is read.
    length : int
        How many frames it has.
    """

    bakes: Bakes
    identity: str
    length: int

    def names(self, trace: Trace) -> dict[int, str]:
        """By frame, the name under which the matte is kept."""
        of = self.identity, self.length, *trace.carried
        with _lock:
            known = _names.get(of)
        if known is None:
            told = digests(trace, self.length)
            known = {n: sha256(f"{self.identity} {n} {one}".encode()).hexdigest() for n, one in told.items()}
            with _lock:
                _names[of] = known
        return known

    def read(self, trace: Trace, frame: int) -> Plane | None:
        """The matte of a trace on a frame; None where it is not made yet."""
        name = self.names(trace).get(frame)
        return None if name is None else self.bakes.read(name)

    def missing(self, trace: Trace) -> list[int]:
        """The frames whose mattes are not made yet, or not as the strokes are now."""
        return [frame for frame, name in self.names(trace).items() if not self.bakes.there(name)]


def missing_of(mattes: Mattes, recipe: Recipe) -> list[tuple[Trace, list[int]]]:
    """The traces of a recipe that are used, with the frames that are missing of each."""
    used = [trace for trace in recipe.traces.in_order if trace.on]
    found = [(trace, mattes.missing(trace)) for trace in used]
    return [(trace, frames) for trace, frames in found if frames]


class Step(NamedTuple):
    """A matte that was just made: its frame, how unsure it is, and the name it is kept under."""

    frame: int
    doubt: float
    name: str


def make(footage: Footage, trace: Trace, mattes: Mattes) -> Iterator[Step]:
    """Make what is missing of a trace, frame by frame; what is done is kept, whenever it is stopped.

    From the base frame on, both ways go on at the same time, where both are missing.
    """
    sides = [trace.model_copy(update={"direction": way}) for way in ("forward", "backward")]
    base = trace.model_copy(update={"first": trace.base, "last": trace.base})
    if trace.direction != "both" or not all(set(mattes.missing(side)) - {trace.base} for side in sides):
        yield from _carried(footage, trace, mattes)
        return
    yield from _carried(footage, base, mattes)
    with closing(together([_carried(footage, side, mattes) for side in sides])) as steps:
        yield from steps


def _carried(footage: Footage, trace: Trace, mattes: Mattes) -> Iterator[Step]:
    facts = footage.facts
    names = mattes.names(trace)
    with closing(_Pictures(footage)) as pictures:

        def have(frame: int) -> Plane | None:
            return mattes.bakes.read(names[frame])

        for made in run(trace, pictures.seen, facts.length, (facts.width, facts.height), have):
            mattes.bakes.write(names[made.frame], made.cover)
            yield Step(made.frame, made.doubt, names[made.frame])


class _Pictures:
    """Frames as tracing sees them, read a few at a time and held for a while."""

    def __init__(self, footage: Footage) -> None:
        self._length = footage.facts.length
        self._reader = Reader(*footage)
        self._held: LRUCache[int, Seen] = LRUCache(_HELD)

    def close(self) -> None:
        self._reader.close()

    def seen(self, number: int) -> Seen:
        found = self._held.get(number)
        if found is None:
            first = number // _CHUNK * _CHUNK
            frames = range(first, min(first + _CHUNK, self._length))
            for n, frame in zip(frames, self._reader.frames(frames), strict=True):
                small = seen(frame.rgb)
                self._held[n] = small
                found = small if n == number else found
            assert found is not None
        return found


Progress = Callable[[Trace, int, int], None]


def make_all(footage: Footage, recipe: Recipe, mattes: Mattes, progress: Progress) -> None:
    """Make whatever is missing of the traces of a recipe."""
    for trace, frames in missing_of(mattes, recipe):
        for done, _ in enumerate(make(footage, trace, mattes), 1):
            progress(trace, done, len(frames))
