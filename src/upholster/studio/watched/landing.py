"""What lands in a folder: seen once it has stopped growing, and put away when it is done with."""

import os
from pathlib import Path
from typing import NamedTuple

#: Folders inside the one that is watched: of what was keyed, of what could not be, and of what was made.
DONE, FAILED, DELIVERED = "done", "failed", "delivered"


class _Seen(NamedTuple):
    """How an entry was last seen: its bytes, its newest change, and since when it has been so."""

    state: tuple[int, int]
    since: float


class Landing:
    """The entries of a folder over time: files, and folders of numbered pictures.

    Parameters
    ----------
    still : float
        Seconds after which what does not grow has arrived.
    """

    def __init__(self, folder: Path, still: float) -> None:
        self._folder, self._still = folder, still
        self._seen: dict[Path, _Seen] = {}

    def arrived(self, now: float) -> list[Path]:
        """The entries that have stopped growing, by name; `now` in seconds that only rise."""
        entries = sorted(p for p in self._folder.iterdir() if _meant(p))
        self._seen = {p: self._seen[p] for p in entries if p in self._seen}
        for path in entries:
            state = _state(path)
            if path not in self._seen or self._seen[path].state != state:
                self._seen[path] = _Seen(state, now)
        return [p for p in entries if now - self._seen[p].since >= self._still]

    @property
    def empty(self) -> bool:
        """Whether nothing was there when it was last looked into."""
        return not self._seen


def _meant(path: Path) -> bool:
    # A link may lead out of the folder.
    if path.name in (DONE, FAILED, DELIVERED) or path.name.startswith(".") or path.is_symlink():
        return False
    # Folders that hold nothing but folders are how somebody keeps order.
    return not path.is_dir() or any(each.is_file() for each in _inside(path))


def _inside(folder: Path) -> list[Path]:
    try:
        return list(folder.iterdir())
    except OSError:
        return []


def _state(path: Path) -> tuple[int, int]:
    """Bytes and the newest change of a file, or of all files of a folder; of one that is just gone, nothing."""
    try:
        stats = [each.stat() for each in (path.iterdir() if path.is_dir() else (path,))]
    except OSError:
        return 0, 0
    return sum(s.st_size for s in stats), max((s.st_mtime_ns for s in stats), default=0)


def put_away(path: Path, home: Path) -> Path:
    """Move something into a folder, under a name that is free there."""
    home.mkdir(exist_ok=True)
    there = free(home / path.name)
    path.rename(there)
    return there


def free(path: Path) -> Path:
    """A path, or the same with the lowest number behind its name that nothing has yet."""
    number, found = 2, path
    while os.path.lexists(found):
        found = path.with_name(f"{path.stem}_{number}{path.suffix}")
        number += 1
    return found
