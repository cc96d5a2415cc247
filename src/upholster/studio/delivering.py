"""Making the files of a delivery: pictures in order, parts of them written, put together, proved."""

import tempfile
from collections.abc import Callable, Generator, Iterable, Iterator, Sequence
from contextlib import ExitStack, closing
from pathlib import Path
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from upholster.core.composite import premultiply, unpremultiply
from upholster.core.delivery.flat_colour import Colour, propose_flat, subject_pixels
from upholster.core.delivery.timing import Timing
from upholster.media.decoder.reader import Reader
from upholster.media.delivery import Delivery, Picture, Plan, as_hex, prepare
from upholster.media.encoder.again import codec_options, encode_again
from upholster.media.encoder.join import join_movies, zip_files
from upholster.media.encoder.pair import pair_files
from upholster.media.encoder.pictures import picture_name
from upholster.media.encoder.writer import Writer, open_writer
from upholster.media.formats import BETWEEN, Format
from upholster.media.preview import PreviewWriter
from upholster.media.proof import Proof, compare, judged
from upholster.studio.grounds import open_ground
from upholster.studio.keying import Footage, Making, keyed_frames

Plane = NDArray[np.float32]

#: Called with the number of frames done so far; may raise to stop the work.
Progress = Callable[[int], None]

#: Frames that a subject's colours are gathered from.
_LOOKED_AT = 6


class Stopped(Exception):
    """The work was called off."""


class Order(NamedTuple):
    """One delivery of a take: its plan, and the footage of its ground where it has one."""

    planned: Plan
    ground: Footage | None = None


def silent(done: int) -> None:
    """Progress nobody wants to hear of."""


def settled(delivery: Delivery, making: Making, take: range) -> Delivery:
    """The delivery with what it leaves open chosen: a flat colour the subject does not contain."""
    if delivery.form.content != "flat" or delivery.colour:
        return delivery
    return delivery.model_copy(update={"colour": as_hex(flat_colour(making, take))})


def flat_colour(making: Making, take: range) -> Colour:
    """The flat colour proposed for a take."""
    return propose_flat(subject_of(making, take))


def subject_of(making: Making, take: range) -> Plane:
    """Colours ``(3, n)`` of the solid subject, from a few frames spread over the take."""
    with closing(keyed_frames(making, take[:: max(1, len(take) // _LOOKED_AT)])) as frames:
        return subject_pixels(frames)


def deliver(making: Making, take: range, order: Order, out: Path, *, threads: int = 1) -> Proof:
    """Make a whole delivery here and now: a file, or for sequences and pairs a folder.

    Parts lie in a folder beside `out` that goes away.
    """
    planned = order.planned
    out.parent.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory(dir=out.parent, prefix=".upholster-") as parts:
        folder = out if planned.form.sequence else Path(parts)
        part = part_path(folder, 0, planned.form)
        write_part(making, take, [(order, part)], range(planned.timing.frames), threads=threads)
        files = assemble(making, take, planned, folder, 1, out, threads=threads)
        return prove_files(making, take, order, files)


def timed_frames(making: Making, take: range, timing: Timing, numbers: Sequence[int]) -> Generator[tuple[Plane, Plane]]:
    """Straight frames at the delivered rate and speed; those in between blended premultiplied, as light adds."""
    needed = timing.needed(numbers)
    with closing(keyed_frames(making, [take[n] for n in needed])) as frames:
        coming = zip(needed, frames, strict=True)
        held: dict[int, tuple[Plane, Plane]] = {}
        for number in numbers:
            first, weight = timing.mix(number)
            held = {n: frame for n, frame in held.items() if n >= first}
            while first not in held or (weight and first + 1 not in held):
                at, frame = next(coming)
                held[at] = frame
            yield _blended(held[first], held[first + 1], weight) if weight else held[first]


def _blended(one: tuple[Plane, Plane], two: tuple[Plane, Plane], weight: float) -> tuple[Plane, Plane]:
    w = np.float32(weight)
    alpha = one[1] * (1 - w) + two[1] * w
    held = premultiply(*one) * (1 - w) + premultiply(*two) * w
    bare = one[0] * (1 - w) + two[0] * w
    return np.where(alpha > 0.004, unpremultiply(held, alpha), bare), alpha


def pictures(making: Making, take: range, order: Order, numbers: range | None = None) -> Generator[Picture]:
    """What a delivery shows, frame by frame."""
    numbers = range(order.planned.timing.frames) if numbers is None else numbers
    with (
        open_ground(order.planned, order.ground) as ground,
        closing(timed_frames(making, take, order.planned.timing, numbers)) as frames,
    ):
        for number, (rgb, alpha) in zip(numbers, frames, strict=True):
            yield prepare(rgb, alpha, order.planned, number, ground)


def write_part(
    making: Making,
    take: range,
    orders: Sequence[tuple[Order, Path]],
    numbers: range,
    *,
    threads: int = 1,
    progress: Progress = silent,
) -> None:
    """Write delivered frames `numbers` of several deliveries of the same timing, keying each frame once."""
    timing = orders[0][0].planned.timing
    with closing(timed_frames(making, take, timing, numbers)) as frames:
        write_frames(frames, orders, numbers, threads=threads, progress=progress)


def write_frames(
    frames: Iterable[tuple[Plane, Plane]],
    orders: Sequence[tuple[Order, Path]],
    numbers: range,
    *,
    threads: int = 1,
    progress: Progress = silent,
) -> None:
    """Write keyed frames, which are delivered frames `numbers`, as parts of deliveries."""
    with ExitStack() as stack:
        grounds = [stack.enter_context(open_ground(order.planned, order.ground)) for order, _ in orders]
        writers = [stack.enter_context(_writer(order.planned, path, numbers.start, threads)) for order, path in orders]
        for number, (rgb, alpha) in zip(numbers, frames, strict=True):
            for (order, _), ground, writer in zip(orders, grounds, writers, strict=True):
                picture = prepare(rgb, alpha, order.planned, number, ground)
                writer.write(picture.rgb, picture.alpha)
            progress(number - numbers.start + 1)


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
    making: Making,
    take: range,
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
        return files
    parts = [part_path(folder, position, form) for position in range(count)]
    sound = _sound(making, take) if planned.delivery.sound else None
    if form.content == "pair":
        target.mkdir(parents=True, exist_ok=True)
        for file, pieces in zip(files, zip(*(pair_files(part, form) for part in parts), strict=True), strict=True):
            join_movies(form, pieces, file, rate)
    elif form.joins:
        join_movies(form, parts, target, rate, sound)
    else:
        encode_again(planned, parts, target, sound=sound, threads=threads, progress=progress)
    return files


def _sound(making: Making, take: range) -> bytes | None:
    footage = making.footage
    with Reader(footage.files, footage.facts) as reader:
        return reader.sound(float(take.start / footage.facts.rate), float(take.stop / footage.facts.rate))


def pack(planned: Plan, files: Sequence[Path], stem: str, target: Path) -> None:
    """Many files of one delivery as one zip to hand over."""
    dot = "." if planned.form.sequence else "_"
    zip_files([(file, f"{stem}/{stem}{dot}{file.name}") for file in files], target)


def check_part(
    making: Making,
    take: range,
    order: Order,
    files: list[Path],
    numbers: range,
    *,
    preview: Path | None = None,
    progress: Progress = silent,
) -> Proof:
    """Read a run of delivered frames back and compare it with making its pictures again.

    The pictures made are also what a small `preview` of the run is written from.
    """

    def expected() -> Iterator[Picture]:
        with ExitStack() as stack:
            made = stack.enter_context(closing(pictures(making, take, order, numbers)))
            small = stack.enter_context(PreviewWriter(preview, order.planned.timing.rate)) if preview else None
            for done, picture in enumerate(made, 1):
                if small:
                    small.write(picture)
                yield picture
                progress(done)

    return compare(files, order.planned, expected(), numbers)


def prove_files(making: Making, take: range, order: Order, files: list[Path]) -> Proof:
    """Read finished `files` back, compare all of them with making the pictures again, and judge."""
    numbers = range(order.planned.timing.frames)
    return judged([check_part(making, take, order, files, numbers)], order.planned)
