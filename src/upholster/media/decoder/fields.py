"""Deinterlacing, by FFmpeg's bwdif: pictures whose lines were taken at two moments become pictures of one."""

from collections.abc import Sequence
from fractions import Fraction
from typing import Any

import av
from av.filter import Graph

from upholster.media.errors import MediaError

#: Any will do: frames are told apart by their places.
_TICK = Fraction(1, 25)


def deinterlaced(frames: Sequence[Any], wanted: int) -> Any:
    """Frame `wanted` of a few that follow each other, those before and after it among them where there are any.

    Frames that are marked as progressive stay as they are.
    """
    graph = Graph()
    shape = frames[0]
    inlet = graph.add_buffer(width=shape.width, height=shape.height, format=shape.format.name, time_base=_TICK)
    parted = graph.add("bwdif", "mode=send_frame:parity=auto:deint=interlaced")
    outlet = graph.add("buffersink")
    inlet.link_to(parted)
    parted.link_to(outlet)
    graph.configure()
    found = []
    for place, frame in enumerate(frames):
        frame.pts, frame.time_base = place, _TICK
        inlet.push(frame)
        found += _pulled(outlet)
    inlet.push(None)
    found += _pulled(outlet)
    if len(found) <= wanted:
        raise MediaError("The fields of this footage cannot be parted. Take them together.")
    return found[wanted]


def _pulled(outlet: Any) -> list[Any]:
    found = []
    while True:
        try:
            found.append(outlet.pull())
        except (av.BlockingIOError, av.EOFError):
            return found
