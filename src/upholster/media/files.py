"""Files that are there whole or not at all, also after a power cut."""

import os
import shutil
from collections.abc import Sequence
from pathlib import Path


def put_whole(files: Sequence[Path], folder: Path) -> None:
    """Let `folder` hold `files` and nothing else; they stay where they were as well.

    It takes its name when all of them are on the disk, so that it can be repeated after any interruption.
    """
    part = folder.with_name(folder.name + ".part")
    shutil.rmtree(part, ignore_errors=True)
    part.mkdir(parents=True)
    for file in files:
        target = part / file.name
        same_file(file, target)
        sync(target)
    sync(part)
    shutil.rmtree(folder, ignore_errors=True)
    part.replace(folder)
    sync(folder.parent)


def same_file(file: Path, target: Path) -> None:
    """Let `target` be the same file; a copy, where it lies on another disk or on one without links."""
    try:
        os.link(file, target)
    except OSError:
        shutil.copyfile(file, target)


def put_text(path: Path, text: str) -> None:
    """Write a text that is there whole or not at all."""
    put_bytes(path, text.encode())


def put_bytes(path: Path, data: bytes) -> None:
    """Write a file that is there whole or not at all."""
    part = path.with_name(path.name + ".part")
    part.write_bytes(data)
    part.replace(path)


def sync(path: Path) -> None:
    """Have the disk hold what was written to a file, or the names in a folder."""
    handle = os.open(path, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)
