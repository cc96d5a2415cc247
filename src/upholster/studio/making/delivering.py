"""Making the files of a delivery: pictures in order, parts of them written, put together, proved."""

import tempfile
from collections.abc import Callable, Generator, Iterable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import ExitStack, closing
from itertools import chain
from pathlib import Path
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from upholster.media.card.card import card_files, write_card, wrong_card
from upholster.media.compare import compare, compare_joined
from upholster.media.delivery import Plan, prepare
from upholster.media.encoder.join import join_movies, zip_files
from upholster.media.encoder.pair import pair_files
from upholster.media.encoder.pictures import picture_name
from upholster.media.encoder.transcode import codec_options, transcode
from upholster.media.encoder.writer import Writer, open_writer
from upholster.media.formats import BETWEEN, Format
from upholster.media.preview import PreviewWriter
from upholster.media.proof import Proof, failed, judged
from upholster.media.record import Record, load_records, record, save_records
from upholster.studio.making.grounds import open_ground
from upholster.studio.making.keying import Footage, Job, KeyedFrame
from upholster.studio.making.retiming import retimed_frames, retimed_sound, wrong_sound

Plane = NDArray[np.float32]

#: Called with the number of frames done so far; may raise to stop the work.
Progress = Callable[[int], None]

#: Frames made by one job: small enough to lose, large enough to be worth looking for where they begin.
RANGE = 24


class Stopped(Exception):
    """The work was called off."""


class Order(NamedTuple):
    """One delivery of a shot: its plan, and the footage of its ground where it has one."""

    planned: Plan
    ground: Footage | None = None


def silent(done: int) -> None:
    """Progress nobody wants to hear of."""


def deliver(job: Job, order: Order, out: Path, *, threads: int = 1) -> Proof:
    """Make a whole delivery here and now: a file, or for sequences and pairs a folder.

    Parts are made, and as far as they can be proved, side by side on `threads` threads; they lie in a folder
    beside `out` that goes away.
    """
    planned = order.planned
    out.parent.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory(dir=out.parent, prefix=".upholster-") as parts:
        folder = out if planned.form.sequence else Path(parts)
        ranges = in_ranges(planned.timing.frames)
        own = max(1, threads // len(ranges))

        def make(position: int) -> Proof | None:
            part = part_path(folder, position, planned.form)
            (records,) = write_part(job, [Part(order, part)], ranges[position], threads=own)
            return prove_part(order, part, ranges[position], records, records_path(Path(parts), position))

        with ThreadPoolExecutor(threads) as pool:
            try:
                proofs = list(pool.map(make, range(len(ranges))))
            except BaseException:
                pool.shutdown(cancel_futures=True)
                raise
        files = assemble(job, planned, folder, len(ranges), out, threads=threads)
        if reason := wrongly_joined(job, planned, folder, len(ranges), files):
            return failed(planned, reason)
        if not proves_parts(planned.form):
            kept = [records_path(Path(parts), position) for position in range(len(ranges))]
            proofs = [prove_whole(order, files, kept)]
        return judged([proof for proof in proofs if proof], planned)


def in_ranges(frames: int) -> list[range]:
    """Delivered frames as runs that are made apart."""
    return [range(first, min(first + RANGE, frames)) for first in range(0, frames, RANGE)]


def records_path(folder: Path, position: int) -> Path:
    """Where the records of a part wait for the file it goes into."""
    return folder / f"records-{position:05d}.npz"


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


def handed_over(job: Job, order: Order, numbers: range) -> Generator[Record]:
    """Records of delivered frames, keyed anew, for files whose own records are gone."""
    planned = order.planned
    with (
        open_ground(planned, order.ground) as ground,
        closing(retimed_frames(job, planned.timing, numbers)) as frames,
    ):
        for number, frame in zip(numbers, frames, strict=True):
            picture = prepare(frame.rgb, frame.alpha, planned, number, ground)
            yield record(picture, planned, frame.damaged, made_again=True)


def proves_parts(form: Format) -> bool:
    """Whether parts are proved as they are made, since they go into the file as they are."""
    return form.sequence or form.joins


def prove_part(order: Order, part: Path, numbers: range, records: Sequence[Record], keep: Path) -> Proof | None:
    """Read a part back and hold it against what was handed over.

    Of formats whose parts are encoded once more, the records are kept in the file `keep` until then.
    """
    planned = order.planned
    if not proves_parts(planned.form):
        save_records(keep, records)
        return None
    if planned.form.sequence:
        pictures = assembled(planned, part, part)[numbers.start : numbers.stop]
    else:
        pictures = pair_files(part, planned.form) if planned.form.content == "pair" else [part]
    found = compare(pictures, planned, records, range(len(numbers)), length=len(numbers))
    hurt = tuple((first + numbers.start, last + numbers.start) for first, last in found.damaged)
    return found.model_copy(update={"damaged": hurt})


def prove_whole(order: Order, files: Sequence[Path], kept: Sequence[Path], progress: Progress = silent) -> Proof:
    """Read a file back whole and hold it against the records kept of its parts."""

    def expected() -> Iterator[Record]:
        for done, each in enumerate(chain.from_iterable(map(load_records, kept)), 1):
            yield each
            progress(done)

    return compare(files, order.planned, expected(), range(order.planned.timing.frames))


def wrongly_joined(job: Job, planned: Plan, folder: Path, count: int, files: Sequence[Path]) -> str:
    """What is wrong with files that were put together of proved parts, and with their sound; empty where nothing is."""
    form = planned.form
    if reason := wrong_sound(job, planned, files[0]):
        return reason
    if form.sequence:
        gone = next((file.name for file in files if not file.is_file()), "")
        if gone:
            return f"{gone} is missing."
        return wrong_card(planned, folder, files) if form.card else ""
    if not form.joins:
        return ""
    parts = [part_path(folder, position, form) for position in range(count)]
    if form.content != "pair":
        return compare_joined(files[0], parts, planned)
    pieces = zip(*(pair_files(part, form) for part in parts), strict=True)
    return next((r for f, p in zip(files, pieces, strict=True) if (r := compare_joined(f, p, planned))), "")


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


def part_path(folder: Path, position: int, form: Format) -> Path:
    """Where a part lies: a video, a folder with a pair, or for pictures the folder they all share."""
    if form.sequence:
        return folder
    name = f"part-{position:05d}"
    return folder / (name if form.content == "pair" else name + (form if form.joins else BETWEEN).suffix)


def assembled(planned: Plan, folder: Path, target: Path) -> list[Path]:
    """The files that `assemble` makes: those to prove.

    Pictures stay in `folder`, where they were made; a pair becomes two files in the folder `target`.
    """
    form, padding = planned.form, planned.delivery.padding
    if form.sequence:
        numbers = range(planned.first, planned.first + planned.timing.frames)
        return [picture_name(folder, number, form.suffix, padding) for number in numbers]
    return pair_files(target, form) if form.content == "pair" else [target]


def assemble(
    job: Job,
    planned: Plan,
    folder: Path,
    count: int,
    target: Path,
    *,
    threads: int = 1,
    progress: Progress = silent,
) -> list[Path]:
    """Put the `count` parts in `folder` together; the files made."""
    form, rate = planned.form, planned.timing.rate
    files = assembled(planned, folder, target)
    if form.sequence:
        if form.card:
            write_card(planned, folder, files)
        return files
    parts = [part_path(folder, position, form) for position in range(count)]
    sound = retimed_sound(job, planned)
    if form.content == "pair":
        target.mkdir(parents=True, exist_ok=True)
        for file, pieces in zip(files, zip(*(pair_files(part, form) for part in parts), strict=True), strict=True):
            join_movies(form, pieces, file, rate, timecode=planned.timecode)
    elif form.joins:
        join_movies(form, parts, target, rate, sound, planned.timecode)
    else:
        transcode(planned, parts, target, sound=sound, threads=threads, progress=progress)
    return files


def pack(planned: Plan, files: Sequence[Path], stem: str, target: Path) -> None:
    """Many files of one delivery as one zip to hand over."""
    if planned.form.card:
        # Its scenes name their pictures as they lie here.
        folder = files[0].parent
        names = [*(file.name for file in files), *card_files(planned)]
        zip_files([(folder / name, f"{stem}/{name}") for name in names], target)
        return
    dot = "." if planned.form.sequence else "_"
    zip_files([(file, f"{stem}/{stem}{dot}{file.name}") for file in files], target)


def prove_files(job: Job, order: Order, files: Sequence[Path]) -> Proof:
    """Read finished `files` back, compare all of them with making the pictures again, and judge."""
    numbers = range(order.planned.timing.frames)
    with closing(handed_over(job, order, numbers)) as expected:
        proof = judged([compare(files, order.planned, expected, numbers)], order.planned)
    reason = wrong_sound(job, order.planned, files[0]) if proof.passed else ""
    return proof.model_copy(update={"passed": False, "reason": reason}) if reason else proof
