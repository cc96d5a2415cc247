"""A trace's mattes over its span: anchors from strokes, and what lies between carried from both sides."""

from collections.abc import Callable, Iterator
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.core.documents.traces import Trace
from upholster.core.raster import Raster
from upholster.core.trace import anchor, carry, colours
from upholster.core.trace.geometry import widest_gap
from upholster.core.trace.painted import SOFT, painted
from upholster.core.trace.plan import Stretch, stretches
from upholster.core.trace.scene import Scene
from upholster.core.trace.seen import Seen
from upholster.core.trace.settle import Traced, joined

Plane = NDArray[np.float32]

#: Gives the matte ``(h, w)`` of a frame at working size that is there already; None where there is none.
Have = Callable[[int], Plane | None]
#: How many times as far apart as where it was brushed on a subject's parts may come to lie.
_LOOSER = 1.5
#: Gives what strokes say of each pixel of a frame.
Brushed = Callable[[int], NDArray[np.uint8]]


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
    raster = Raster.of_plate(*plate).resized(*read(trace.base).size)
    scene = Scene(read, length, trace.base, band=raster.length(trace.band))

    def brushed(frame: int) -> NDArray[np.uint8]:
        return painted(trace.strokes.on(frame).each, raster)

    base = have(trace.base)
    if base is None:
        found = anchor.begin(scene, trace.base, brushed(trace.base))
        base = found.cover
        yield Made(trace.base, base, found.doubt)
    anchors = {trace.base: base}
    for stretch in stretches(trace, length):
        carried = _blended if trace.corrects_back and stretch.end is not None else _carried_on
        start = anchors[stretch.start]
        learn(scene, stretch.start, start)
        soft = brushed(stretch.start) == SOFT
        if soft.any():
            scene.soft[stretch.start] = soft
        for made in carried(scene, stretch, start, brushed, have):
            if made.frame == stretch.end:
                anchors[made.frame] = made.cover
            if have(made.frame) is None:
                yield made


def _carried_on(scene: Scene, stretch: Stretch, cover: Plane, brushed: Brushed, have: Have) -> Iterator[Made]:
    """The frames of a stretch from its start, then the anchor at its end, where there is one."""
    before = stretch.start
    for frame in stretch.frames:
        known = have(frame)
        if known is not None:
            cover, doubt = known, 0.0
            carry.pass_by(scene, before, frame, cover)
        else:
            step = carry.step(scene, before, frame, cover)
            cover, doubt = step.cover, step.doubt
        before = frame
        yield Made(frame, cover, doubt)
    if stretch.end is not None:
        yield _corrected(
            scene, stretch.end, have(stretch.end), brushed, lambda end: carry.step(scene, before, end, cover)
        )


def _corrected(
    scene: Scene, frame: int, known: Plane | None, brushed: Brushed, carried: Callable[[int], Traced]
) -> Made:
    """The matte of an anchor: the one that is there, or what was carried there with its strokes."""
    if known is not None:
        return Made(frame, known, 0.0)
    found = anchor.correct(scene, frame, brushed(frame), carried(frame).cover)
    return Made(frame, found.cover, found.doubt)


def _blended(scene: Scene, stretch: Stretch, start: Plane, brushed: Brushed, have: Have) -> Iterator[Made]:
    """The anchor at the end of a stretch, then its frames, carried there from both sides."""
    assert stretch.end is not None
    frames = list(stretch.frames)
    known = have(stretch.end)
    if known is not None and all(have(frame) is not None for frame in frames):
        yield Made(stretch.end, known, 0.0)
        return
    # Carried forth first, kept packed; then back from the end, and both joined.
    forth: dict[int, NDArray[np.uint8]] = {}
    before, cover = stretch.start, start
    for frame in frames:
        step = carry.step(scene, before, frame, cover)
        before, cover = frame, step.cover
        forth[frame] = _packed(step)
    end = _corrected(scene, stretch.end, known, brushed, lambda end: carry.step(scene, before, end, cover))
    yield end
    learn(scene, stretch.end, end.cover)
    after, cover = stretch.end, end.cover
    count = len(frames) + 1
    for place, frame in reversed(list(enumerate(frames, 1))):
        back = carry.step(scene, after, frame, cover)
        after, cover = frame, back.cover
        there = place / count
        share = there * there * (3 - 2 * there)
        label, forward = _unpacked(forth.pop(frame))
        both = joined(scene, frame, label, forward, back, share)
        yield Made(frame, both.cover, both.doubt)


def learn(scene: Scene, frame: int, cover: Plane) -> None:
    """Remember the colours of a frame that was brushed on, and how far apart its parts are."""
    scene.remember(frame, cover)
    scene.gap = max(scene.gap, _LOOSER * widest_gap(cover >= 0.5))
    scene.memory.pop(frame, None)
    latest = list(scene.memory.items())[-2:]
    scene.memory = {**dict(latest), frame: colours.whole(scene.seen(frame).lab, cover, scene.colours)}


def _packed(traced: Traced) -> NDArray[np.uint8]:
    """Label and coverage, one above the other."""
    both = np.vstack([traced.label, traced.cover])
    return np.asarray(cv2.imencode(".png", np.rint(both * 255).astype(np.uint8))[1])


def _unpacked(data: NDArray[np.uint8]) -> tuple[Plane, Plane]:
    grey = cv2.imdecode(data, cv2.IMREAD_GRAYSCALE)
    assert grey is not None, "it was packed here"
    label, cover = np.split(grey.astype(np.float32) / np.float32(255), 2)
    return label, cover


def preview(scene: Scene, trace: Trace, frame: int, plate: tuple[int, int], carried: Plane | None) -> Traced:
    """The matte of one frame that is being brushed on, from its strokes and what was carried there before."""
    raster = Raster.of_plate(*plate).resized(*scene.seen(frame).size)
    scene.band = raster.length(trace.band)
    brushed = painted(trace.strokes.on(frame).each, raster)
    if carried is None or frame == trace.base:
        return anchor.begin(scene, frame, brushed)
    return anchor.correct(scene, frame, brushed, carried)
