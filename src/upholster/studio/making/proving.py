"""Reading back what was delivered, and holding it against what was handed over."""

from collections.abc import Generator, Iterator, Sequence
from contextlib import closing
from itertools import chain
from pathlib import Path

from upholster.media.card.card import wrong_card
from upholster.media.compare import compare, compare_joined
from upholster.media.delivery import Plan, prepare
from upholster.media.encoder.pair import pair_files
from upholster.media.formats import Format
from upholster.media.proof import Proof, judged
from upholster.media.record import Record, load_records, record, save_records
from upholster.studio.making.assembling import assembled
from upholster.studio.making.grounds import open_ground
from upholster.studio.making.keying import Job
from upholster.studio.making.orders import Order, Progress, silent
from upholster.studio.making.parts import part_path
from upholster.studio.making.retiming import retimed_frames, wrong_sound


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


def prove_files(job: Job, order: Order, files: Sequence[Path]) -> Proof:
    """Read finished `files` back, compare all of them with making the pictures again, and judge."""
    numbers = range(order.planned.timing.frames)
    with closing(handed_over(job, order, numbers)) as expected:
        proof = judged([compare(files, order.planned, expected, numbers)], order.planned)
    reason = wrong_sound(job, order.planned, files[0]) if proof.passed else ""
    return proof.model_copy(update={"passed": False, "reason": reason}) if reason else proof
