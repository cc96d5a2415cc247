"""The parts of a delivery: runs of its frames, written in order."""

from collections.abc import Iterable, Sequence
from contextlib import ExitStack, closing
from pathlib import Path
from typing import NamedTuple

from upholster.media.delivery import Plan, prepare
from upholster.media.encoder.transcode import codec_options
from upholster.media.encoder.writer import Writer, open_writer
from upholster.media.formats import BETWEEN, Format
from upholster.media.preview import PreviewWriter
from upholster.media.record import Record, record
from upholster.studio.making.grounds import open_ground
from upholster.studio.making.keying import Job, KeyedFrame
from upholster.studio.making.orders import Order, Progress, silent
from upholster.studio.making.retiming import retimed_frames

#: Frames made by one job: small enough to lose, large enough to be worth looking for where they begin.
RANGE = 24


def in_ranges(frames: int) -> list[range]:
    """Delivered frames as runs that are made apart."""
    return [range(first, min(first + RANGE, frames)) for first in range(0, frames, RANGE)]


def records_path(folder: Path, position: int) -> Path:
    """Where the records of a part wait for the file it goes into."""
    return folder / f"records-{position:05d}.npz"


def part_path(folder: Path, position: int, form: Format) -> Path:
    """Where a part lies: a video, a folder with a pair, or for pictures the folder they all share."""
    if form.sequence:
        return folder
    name = f"part-{position:05d}"
    return folder / (name if form.content == "pair" else name + (form if form.joins else BETWEEN).suffix)


class Part(NamedTuple):
    """Where a run of a delivery's frames is written, and a small moving preview of it where one is wanted."""

    order: Order
    path: Path
    preview: Path | None = None


def write_part(
    job: Job,
    parts: Sequence[Part],
    numbers: range,
    *,
    threads: int = 1,
    progress: Progress = silent,
) -> list[list[Record]]:
    """Write delivered frames `numbers` of several deliveries of the same timing, keying each frame once.

    Returns, for each delivery, records of what was handed to its encoder.
    """
    timing = parts[0].order.planned.timing
    with closing(retimed_frames(job, timing, numbers)) as frames:
        return write_frames(frames, parts, numbers, threads=threads, progress=progress)


def write_frames(
    frames: Iterable[KeyedFrame],
    parts: Sequence[Part],
    numbers: range,
    *,
    threads: int = 1,
    progress: Progress = silent,
) -> list[list[Record]]:
    """Write keyed frames, which are delivered frames `numbers`, as parts of deliveries; records of each."""
    records: list[list[Record]] = [[] for _ in parts]
    with ExitStack() as stack:
        grounds = [stack.enter_context(open_ground(p.order.planned, p.order.ground)) for p in parts]
        writers = [stack.enter_context(_writer(p.order.planned, p.path, numbers.start, threads)) for p in parts]
        previews = [
            stack.enter_context(PreviewWriter(p.preview, p.order.planned.timing.rate)) if p.preview else None
            for p in parts
        ]
        for number, frame in zip(numbers, frames, strict=True):
            for part, ground, writer, preview, kept in zip(parts, grounds, writers, previews, records, strict=True):
                planned = part.order.planned
                picture = prepare(frame.rgb, frame.alpha, planned, number, ground)
                writer.write(picture.rgb, picture.alpha)
                kept.append(record(picture, planned, frame.damaged))
                if preview:
                    preview.write(picture)
            progress(number - numbers.start + 1)
    return records


def _writer(planned: Plan, path: Path, first: int, threads: int) -> Writer:
    form, delivery = planned.form, planned.delivery
    kept = form if form.joins else BETWEEN
    return open_writer(
        kept,
        path,
        width=planned.width,
        height=planned.height,
        rate=planned.timing.rate,
        alpha=delivery.alpha if form.joins else "straight",
        first=planned.first + first,
        padding=delivery.padding,
        threads=threads,
        options=codec_options(form, delivery) if form.joins else None,
    )
