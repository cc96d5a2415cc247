"""Numbered pictures: finding them in a folder, from a pattern, among a heap of names."""

import re
from collections.abc import Iterable, Sequence
from pathlib import Path

from upholster.media.decoder.stills import SUFFIXES
from upholster.media.errors import MediaError

_NUMBER = re.compile(r"(\d+)(?!.*\d)")


def find_pictures(given: str) -> list[Path]:
    """Files meant by a path: the file itself, a folder of numbered pictures, or a pattern like ``shot.%04d.png``."""
    path = Path(given)
    if path.is_dir():
        return in_order([p for p in path.iterdir() if p.suffix.lower() in SUFFIXES])
    if path.is_file():
        return [path]
    if match := re.search(r"%0?\d*d|#+", path.name):
        head, tail = path.name[: match.start()], path.name[match.end() :]
        inside = path.parent.iterdir() if path.parent.is_dir() else iter(())
        found = [
            p
            for p in inside
            if p.name.startswith(head)
            and p.name.endswith(tail)
            and p.name[len(head) : len(p.name) - len(tail)].isdigit()
        ]  # noqa: E501
        if found:
            return in_order(found)
    raise MediaError(f"There is no file {given}.")


def number_of(picture: Path) -> int:
    """The number in a picture's name; 0 where there is none."""
    match = _NUMBER.search(picture.stem)
    return int(match[1]) if match else 0


def in_order(pictures: Iterable[Path]) -> list[Path]:
    """Pictures of one sequence in the order of their numbers.

    Raises
    ------
    MediaError
        Where there are none, they belong to several sequences, or one is missing in between.
    """
    paths = list(pictures)
    if not paths:
        raise MediaError(
            "There are no pictures here. A sequence needs PNG, TIFF or OpenEXR files numbered in their names."
        )
    numbered: list[tuple[int, Path]] = []
    for path in paths:
        match = _NUMBER.search(path.stem)
        if match is None:
            raise MediaError(f"{path.name} has no number, so its place in the sequence is not known.")
        numbered.append((int(match[1]), path))
    stems = {(_NUMBER.sub("#", p.stem), p.suffix.lower()) for _, p in numbered}
    if len(stems) > 1:
        raise MediaError("These pictures belong to several sequences. Bring in one sequence at a time.")
    numbered.sort()
    _check_gaps([n for n, _ in numbered])
    return [p for _, p in numbered]


def _check_gaps(numbers: Sequence[int]) -> None:
    for here, after in zip(numbers, numbers[1:], strict=False):
        if after == here:
            raise MediaError(f"Picture {here} is there twice.")
        if after != here + 1:
            raise MediaError(
                f"Picture {here + 1} of the sequence is missing. Add it, or bring in the part before it alone."
            )
