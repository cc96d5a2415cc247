"""What a trace's mattes depend on, frame by frame: which are still right after a change, and which are not."""

from hashlib import sha256
from typing import NamedTuple

from upholster.core.documents.traces import Trace

#: Changes whenever mattes are computed in another way.
VERSION = 8


class Stretch(NamedTuple):
    """Frames that are carried in one go from an anchor on, and, where there is one, back from the next.

    Attributes
    ----------
    start : int
        The anchor; its own frame is not among `frames`.
    frames : range
        In the order in which they are carried.
    end : int or None
        The next anchor in that direction, after the last of `frames`.
    """

    start: int
    frames: range
    end: int | None


def stretches(trace: Trace, length: int) -> list[Stretch]:
    """What has to be carried, nearest to the base frame first: onwards, then backwards."""
    span = trace.span(length)
    anchors = [frame for frame in trace.anchors if frame in span]
    if trace.base not in anchors:
        return []
    found = []
    for way in (1, -1):
        ahead = sorted((a for a in anchors if (a - trace.base) * way >= 0), reverse=way < 0)
        for start, end in zip(ahead, [*ahead[1:], None], strict=True):
            stop = end if end is not None else (span.stop if way > 0 else span.start - 1)
            frames = range(start + way, stop, way)
            if frames or end is not None:
                found.append(Stretch(start, frames, end))
    return found


def digests(trace: Trace, length: int) -> dict[int, str]:
    """The digest of what the matte of each frame depends on; none for a frame without one."""
    span = trace.span(length)
    if trace.base not in trace.anchors or trace.base not in span:
        return {}
    anchored = {trace.base: _digest("base", str(trace.band), trace.strokes.on(trace.base).digest)}
    found = dict(anchored)
    for start, frames, end in stretches(trace, length):
        here = anchored[start]
        if end is not None:
            anchored[end] = found[end] = _digest(here, str(end - start), trace.strokes.on(end).digest)
        told = _digest(here, anchored[end] if end is not None and trace.corrects_back else "")
        found.update((frame, _digest(told, str(frame - start))) for frame in frames)
    return found


def _digest(*parts: str) -> str:
    return sha256("\n".join((str(VERSION), *parts)).encode()).hexdigest()
