"""A trace's mattes over its span: anchors from strokes, and what lies between carried from both sides."""

from collections.abc import Callable, Iterator
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.core.documents.traces import Trace
from upholster.core.raster import Raster
from upholster.core.trace import anchor, carry, colours
from upholster.core.trace.carry import Traced
from upholster.core.trace.painted import SOFT, painted
from upholster.core.trace.plan import Stretch, stretches
from upholster.core.trace.scene import Scene
from upholster.core.trace.seen import Seen

Plane = NDArray[np.float32]

#: Gives the matte ``(h, w)`` of a frame at working size that is there already; None where there is none.
Have = Callable[[int], Plane | None]


class Made(NamedTuple):
    """The matte of a frame, ``(h, w)`` at working size, and how unsure it is, 0..1."""

    frame: int
    cover: Plane
    doubt: float


def run(trace: Trace, read: Callable[[int], Seen], length: int, plate: tuple[int, int], have: Have) -> Iterator[Made]:
    """The mattes of a trace that are not there yet, in the order in which they are carried.

    Parameters
    ----------
    read
        Gives a frame by its number.
    length : int
        How many frames the clip has.
    plate : of int
        Width and height of the plate, in whose pixels strokes are.
    have
    """
    scene = Scene(read, length, trace.base)
    raster = Raster.of_plate(*plate).resized(*read(trace.base).size)

    def brushed(frame: int) -> NDArray[np.uint8]:
        return painted(trace.strokes.on(frame).each, raster)

    base = have(trace.base)
    if base is None:
        found = anchor.begin(scene, trace.base, brushed(trace.base))
        base = found.cover
        yield Made(trace.base, base, found.doubt)
    anchors = {trace.base: base}
    for stretch in stretches(trace, length):
        for made in _stretch(scene, stretch, anchors[stretch.start], brushed, have):
            if made.frame == stretch.end:
                anchors[made.frame] = made.cover
            if have(made.frame) is None:
                yield made


def _stretch(
    scene: Scene, stretch: Stretch, start: Plane, brushed: Callable[[int], NDArray[np.uint8]], have: Have
) -> Iterator[Made]:
    """The frames of a stretch; the anchor at its end as well, where there is one."""
    learn(scene, stretch.start, start)
    soft = brushed(stretch.start) == SOFT
    if soft.any():
        scene.soft[stretch.start] = soft
    frames = list(stretch.frames)
    if stretch.end is None:
        yield from _onwards(scene, stretch.start, start, frames, have)
        return
    end = have(stretch.end)
    if end is not None and all(have(frame) is not None for frame in frames):
        yield Made(stretch.end, end, 0.0)
        return
    # Carried forth first, kept packed; then back from the end, and both joined.
    forth: dict[int, NDArray[np.uint8]] = {}
    before, cover = stretch.start, start
    for frame in frames:
        step = carry.step(scene, before, frame, cover)
        before, cover = frame, step.cover
        forth[frame] = _packed(step.label)
    if end is None:
        carried = carry.step(scene, before, stretch.end, cover)
        found = anchor.correct(scene, stretch.end, brushed(stretch.end), carried.cover)
        end = found.cover
        yield Made(stretch.end, end, found.doubt)
    else:
        yield Made(stretch.end, end, 0.0)
    learn(scene, stretch.end, end)
    after, cover = stretch.end, end
    count = len(frames) + 1
    for place, frame in reversed(list(enumerate(frames, 1))):
        back = carry.step(scene, after, frame, cover)
        after, cover = frame, back.cover
        there = place / count
        share = there * there * (3 - 2 * there)
        both = carry.joined(scene, frame, _unpacked(forth.pop(frame)), back.label, share)
        yield Made(frame, both.cover, both.doubt)


def _onwards(scene: Scene, before: int, cover: Plane, frames: list[int], have: Have) -> Iterator[Made]:
    for frame in frames:
        known = have(frame)
        if known is not None:
            cover, doubt = known, 0.0
            carry.pass_by(scene, before, frame, cover)
        else:
            step = carry.step(scene, before, frame, cover)
            cover, doubt = step.cover, step.doubt
        before = frame
        yield Made(frame, cover, doubt)


def learn(scene: Scene, frame: int, cover: Plane) -> None:
    """Remember the colours of a frame that was brushed on."""
    scene.remember(frame, cover)
    scene.memory = [*scene.memory[-2:], colours.whole(scene.seen(frame).lab, cover, scene.colours)]


def _packed(label: Plane) -> NDArray[np.uint8]:
    return np.asarray(cv2.imencode(".png", np.rint(label * 255).astype(np.uint8))[1])


def _unpacked(data: NDArray[np.uint8]) -> Plane:
    grey = cv2.imdecode(data, cv2.IMREAD_GRAYSCALE)
    assert grey is not None, "it was packed here"
    return grey.astype(np.float32) / np.float32(255)


def preview(scene: Scene, trace: Trace, frame: int, plate: tuple[int, int], carried: Plane | None) -> Traced:
    """The matte of one frame that is being brushed on, from its strokes and what was carried there before."""
    raster = Raster.of_plate(*plate).resized(*scene.seen(frame).size)
    brushed = painted(trace.strokes.on(frame).each, raster)
    if carried is None or frame == trace.base:
        return anchor.begin(scene, frame, brushed)
    return anchor.correct(scene, frame, brushed, carried)
