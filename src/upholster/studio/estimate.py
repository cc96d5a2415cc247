"""What a delivery will cost, from a few frames of it made for real."""

import os
import tempfile
import time
from pathlib import Path
from typing import NamedTuple

from upholster.media.encoder.again import encode_again
from upholster.studio.delivering import Order, part_path, write_part
from upholster.studio.keying import Making

#: Codecs whose frames lean on earlier ones, and how many frames apart whole ones stand; None: only the first is whole.
_WHOLE_EVERY = {"libvpx-vp9": 24, "libx264": 48, "libwebp_anim": None, "apng": None, "gif": None}
#: Frames made where each stands alone; places looked at and frames made at each where not.
_ALONE, _PLACES, _RUN = 5, 2, 7

#: Seconds a decoder takes to start, which is no part of what a frame takes.
_START = 0.3


class Estimate(NamedTuple):
    """Bytes of the file, and seconds until it is made and checked on this machine."""

    bytes: int
    seconds: float


def estimate(making: Making, take: range, order: Order) -> Estimate:
    """Make a few frames of a delivery and reckon with them."""
    frames, codec = order.planned.timing.frames, order.planned.form.codec
    with tempfile.TemporaryDirectory() as folder:
        sample = _Sample(making, take, order, Path(folder))
        if codec not in _WHOLE_EVERY:
            count = min(_ALONE, frames)
            sizes = [sample.size(range(at, at + 1)) for at in _spread(frames, 1, count)]
            total = sum(sizes) / count * frames
        else:
            run = min(_RUN, frames)
            places = _spread(frames, run, min(_PLACES, max(1, frames // run)))
            whole = [sample.size(range(at, at + 1)) for at in places]
            runs = [sample.size(range(at, at + run)) for at in places]
            key = sum(whole) / len(places)
            between = max(0.0, (sum(runs) / len(places) - key) / max(1, run - 1))
            apart = _WHOLE_EVERY[codec] or frames
            keys = -(-frames // apart)
            total = keys * key + (frames - keys) * between
    if order.planned.delivery.bitrate:
        seconds = float(frames / order.planned.timing.rate)
        total = min(total, order.planned.delivery.bitrate * 1000 / 8 * seconds)
    # Every frame is made twice: to be written, and to be compared with what the file holds.
    return Estimate(round(total), 2 * sample.per_frame * frames / (os.cpu_count() or 1))


def _spread(frames: int, run: int, count: int) -> list[int]:
    """Starts of `count` runs, spread evenly."""
    room = max(0, frames - run)
    return sorted({round(room * (k + 0.5) / count) for k in range(count)})


class _Sample:
    """Makes runs of frames, and keeps the time they take."""

    def __init__(self, making: Making, take: range, order: Order, folder: Path) -> None:
        self._making, self._take, self._order, self._folder = making, take, order, folder
        self._spent, self._made, self._runs = 0.0, 0, 0

    def size(self, numbers: range) -> int:
        """Bytes of a run of delivered frames."""
        form = self._order.planned.form
        folder = self._folder / str(self._runs)
        folder.mkdir()
        self._runs += 1
        began = time.perf_counter()
        target = part_path(folder, 0, form)
        write_part(self._making, self._take, [(self._order, target)], numbers)
        if not form.joins:
            again = folder / f"whole{form.suffix}"
            encode_again(self._order.planned, [target], again)
            target.unlink()
        self._spent += max(0.0, time.perf_counter() - began - _START)
        self._made += len(numbers)
        return sum(path.stat().st_size for path in folder.rglob("*") if path.is_file())

    @property
    def per_frame(self) -> float:
        return self._spent / max(1, self._made)
