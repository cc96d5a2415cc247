"""What a delivery will cost, from a few frames of it made for real."""

import os
import tempfile
import time
from collections.abc import Sequence
from contextlib import closing
from pathlib import Path
from typing import NamedTuple

from upholster.media.encoder.transcode import transcode
from upholster.studio.making.keying import Job, KeyedFrame
from upholster.studio.making.orders import Order, Progress, silent
from upholster.studio.making.parts import Part, part_path, write_frames
from upholster.studio.making.retiming import retimed_frames

#: Codecs whose frames lean on earlier ones, and how many frames apart whole ones stand; None: only the first is whole.
_WHOLE_EVERY = {"libvpx-vp9": 24, "libx264": 48, "libwebp_anim": None, "avif": None, "apng": None, "gif": None}
#: Frames made where each stands alone; places looked at and frames made at each where not.
_ALONE, _PLACES, _RUN = 5, 2, 6

#: Seconds a decoder takes to start, which is no part of what a frame takes.
_START = 0.05
#: What writing a frame and reading it back takes against writing it alone, about.
_READ_BACK = 1.3


class Estimate(NamedTuple):
    """Bytes of a file, and seconds on this machine to key its frames, and to write and check them."""

    bytes: int
    keying: float
    writing: float

    @property
    def seconds(self) -> float:
        return self.keying + self.writing


def together(estimates: Sequence[Estimate]) -> Estimate:
    """What several files of the same frames take, which are keyed once."""
    sizes, keying, writing = zip(*estimates, strict=True)
    return Estimate(sum(sizes), max(keying), sum(writing))


def estimate(job: Job, order: Order, progress: Progress = silent) -> Estimate:
    """Make a few frames of a delivery and reckon with them."""
    planned = order.planned
    frames, codec = planned.timing.frames, planned.form.codec
    alone = codec not in _WHOLE_EVERY
    run = 1 if alone else min(_RUN, frames)
    places = _spread(frames, run, min(_ALONE if alone else _PLACES, max(1, frames // run)))
    numbers = [n for at in places for n in range(at, at + run)]
    began = time.perf_counter()
    keyed = {}
    with closing(retimed_frames(job, planned.timing, numbers)) as coming:
        for done, (number, frame) in enumerate(zip(numbers, coming, strict=True), 1):
            keyed[number] = frame
            progress(done)
    keying = max(0.0, time.perf_counter() - began - _START) / len(numbers)

    began = time.perf_counter()
    whole = sum(_size(order, keyed, range(at, at + 1), progress) for at in places) / len(places)
    runs = whole if run == 1 else sum(_size(order, keyed, range(at, at + run), progress) for at in places) / len(places)
    made = len(places) * (1 if run == 1 else run + 1)
    encoding = (time.perf_counter() - began) / made

    between = whole if run == 1 else max(0.0, (runs - whole) / (run - 1))
    keys = frames if alone else -(-frames // (_WHOLE_EVERY[codec] or frames))
    total = keys * whole + (frames - keys) * between
    if planned.delivery.bitrate:
        total = min(total, planned.delivery.bitrate * 1000 / 8 * float(frames / planned.timing.rate))
    each = frames / (os.cpu_count() or 1)
    return Estimate(round(total), keying * each, _READ_BACK * encoding * each)


def _spread(frames: int, run: int, count: int) -> list[int]:
    """Starts of `count` runs that do not overlap, spread evenly."""
    room = (frames - run * count) / count
    return [int(k * run + room * (k + 0.5)) for k in range(count)]


def _size(order: Order, keyed: dict[int, KeyedFrame], numbers: range, progress: Progress) -> int:
    """Bytes of a file with delivered frames `numbers` alone."""
    form = order.planned.form
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        target = part_path(folder, 0, form)
        write_frames((keyed[n] for n in numbers), [Part(order, target)], numbers, progress=progress)
        if not form.joins:
            whole = folder / f"whole{form.suffix}"
            transcode(order.planned, [target], whole, progress=progress)
            target.unlink()
        return sum(path.stat().st_size for path in folder.rglob("*") if path.is_file())
