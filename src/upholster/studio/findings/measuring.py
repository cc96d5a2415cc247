"""Measuring the frames of shots in the background, those that are wanted first, out of everybody's way."""

import logging
import os
import threading
import time

from cachetools import LRUCache

from upholster.core.documents.recipe import Recipe
from upholster.core.findings.frame import Measured, measure
from upholster.core.findings.kinds import MEASURES
from upholster.core.findings.seen import Seen
from upholster.core.findings.wanted import wanted_first
from upholster.core.pipeline.runner import digest_of, settings_digest
from upholster.media.errors import MediaError
from upholster.store.models import Footage
from upholster.studio import queue
from upholster.studio.errors import Missing, Refused
from upholster.studio.findings import kept
from upholster.studio.looking import hand, look, plates
from upholster.studio.looking.kept import Kept
from upholster.studio.making import seeing
from upholster.studio.shots import shots
from upholster.studio.shots.screens import knowledge
from upholster.studio.traces.mattes import looked_at

log = logging.getLogger(__name__)

#: Seconds between two looks at what stands, and at what others wait for.
_LOOK = 1.0
#: Lower than anything a person waits for.
_NICE = 15
#: Frames held for their neighbours.
_HELD = 4
#: What frames are measured of, by what they are made from.
_told = Kept(8 << 20)


def ask(shot_id: int) -> None:
    """Have the frames of a shot measured that are not, or no longer, known."""
    queue.ask(queue.MEASURE, shot_id=shot_id)


def stale(footage: Footage, recipe: Recipe, known: dict[int, bytes]) -> dict[int, bytes]:
    """The frames whose measures are missing or of something else by now, with what they are to be measured of."""
    wanted = digests(footage, recipe)
    return {frame: digest for frame, digest in wanted.items() if known.get(frame) != digest}


def missing(shot_id: int) -> int:
    """How many frames of a shot are still to be measured."""
    state = shots.open_shot(shot_id)
    return len(stale(state.footage, state.recipe, kept.digests(shot_id)))


def digests(footage: Footage, recipe: Recipe) -> dict[int, bytes]:
    """What each frame of a shot that is used is to be measured of."""
    judged = seeing.looked_at(recipe)
    # Which mattes of traces are there is nothing that a recipe tells.
    if judged.traces.each:
        return _digests(footage, judged)
    return _told.get((footage.sha256, footage.reading_id, judged), lambda: _digests(footage, judged))


def _digests(footage: Footage, judged: Recipe) -> dict[int, bytes]:
    screen = knowledge(footage, judged.screen)
    traced = looked_at(footage, lambda: plates.proxy_of(footage))
    name = repr((MEASURES, footage.sha256, footage.reading_id)).encode()
    first, end = look.span_of(footage, judged)
    own = {n: settings_digest(judged, n, screen, traced) for n in range(max(0, first - 1), end + 1)}
    # A frame is compared with those beside it.
    return {n: digest_of(name, *(own.get(n + k, b"") for k in (-1, 0, 1))) for n in range(first, end)}


def work(shot_id: int) -> None:
    """Measure what is wanted of a shot, until all is, or others wait for the machine, or nobody wants it any more."""
    failed: list[BaseException] = []

    def run() -> None:
        try:
            # Of this thread alone; it cannot be taken back, so the thread is of use for nothing else.
            os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), _NICE)
            _measure(shot_id)
        except (Missing, Refused, MediaError):
            log.info("shot %s is not measured", shot_id)
        except BaseException as error:
            failed.append(error)

    thread = threading.Thread(target=run, name=f"measure {shot_id}")
    thread.start()
    thread.join()
    if failed:
        raise failed[0]


def _measure(shot_id: int) -> None:
    while True:
        state = shots.open_shot(shot_id)
        if not state.shot.bench.get("measured", True):
            return
        wanted = stale(state.footage, state.recipe, kept.digests(shot_id))
        if not wanted:
            return
        frames = wanted_first(wanted, int(state.shot.bench.get("frame", 0)))
        found: dict[int, tuple[bytes, Measured]] = {}
        one = Frames(state.footage, state.recipe)
        until = time.monotonic() + _LOOK
        for frame in frames:
            hand.give_way()
            found[frame] = wanted[frame], one.measured(frame)
            if time.monotonic() > until:
                break
        kept.keep(shot_id, found)
        if queue.others_wait(queue.MEASURE):
            return


class Frames:
    """Frames of a shot as they are judged; those just seen are held for their neighbours."""

    def __init__(self, footage: Footage, recipe: Recipe) -> None:
        self._footage, self._recipe = footage, seeing.looked_at(recipe)
        self._length = int(footage.facts["length"])
        self._held: LRUCache[int, Seen] = LRUCache(_HELD)

    def seen(self, frame: int) -> Seen:
        """A frame, small."""
        found = self._held.get(frame)
        if found is None:
            found = self._held[frame] = self._look(frame)
        return found

    def measured(self, frame: int) -> Measured:
        """What is wrong with a frame."""
        before, after = (self.seen(n) if 0 <= n < self._length else None for n in (frame - 1, frame + 1))
        return measure(self.seen(frame), before, after)

    def _look(self, frame: int) -> Seen:
        keyed = look.keyed(self._footage, self._recipe, frame)
        plate = look.keyed(self._footage, seeing.plate_alone(self._recipe), frame)
        return seeing.seen(frame, plate.rgb, keyed, self._recipe)


def give_up(shot_id: int, problem: str) -> None:
    """What is not measured is asked for again by whoever looks at it."""
