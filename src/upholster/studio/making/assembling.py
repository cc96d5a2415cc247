"""Putting the parts of a delivery together, and packing what came of it."""

from collections.abc import Sequence
from pathlib import Path

from upholster.media.card.card import card_files, write_card
from upholster.media.delivery import Plan
from upholster.media.encoder.join import join_movies, zip_files
from upholster.media.encoder.pair import pair_files
from upholster.media.encoder.pictures import picture_name
from upholster.media.encoder.transcode import transcode
from upholster.studio.making.keying import Job
from upholster.studio.making.orders import Progress, silent
from upholster.studio.making.parts import part_path
from upholster.studio.making.retiming import retimed_sound


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
