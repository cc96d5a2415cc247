"""Tables of a file's frames, kept once they are made: going through all packets of a long file takes its time."""

import threading
from collections.abc import Sequence
from pathlib import Path
from typing import Any
from zipfile import BadZipFile

import numpy as np
from cachetools import LRUCache

#: Presentation times in order, and the places that are entry points, as a child gives them.
Table = dict[str, list[int]]

_known: LRUCache[tuple[Any, ...], Table] = LRUCache(64)
_lock = threading.Lock()


def known_table(paths: Sequence[str], beside: Path | None) -> Table | None:
    """The table of a file, from this process's memory or from the file `beside` the footage."""
    name = _name(paths)
    with _lock:
        if name in _known:
            return _known[name]
    if beside is None or not beside.is_file():
        return None
    try:
        with np.load(beside, allow_pickle=False) as kept:
            table = {"pts": kept["pts"].tolist(), "keys": kept["keys"].tolist()}
    except (OSError, EOFError, ValueError, KeyError, BadZipFile):
        # Cut off or older: it is simply made anew.
        return None
    with _lock:
        _known[name] = table
    return table


def keep_table(paths: Sequence[str], beside: Path | None, table: dict[str, Any]) -> None:
    """Keep a table for the next time; where it cannot be written, for this process alone.

    It comes from a child that reads a file nobody trusts: what is no table is let go.
    """
    try:
        pts, keys = (np.array(table[name], np.int64) for name in ("pts", "keys"))
    except (KeyError, TypeError, ValueError, OverflowError):
        return
    with _lock:
        _known[_name(paths)] = {"pts": pts.tolist(), "keys": keys.tolist()}
    if beside is None:
        return
    part = beside.with_name(f"{beside.name}.{threading.get_ident()}.part")
    try:
        with part.open("wb") as file:
            np.savez(file, pts=pts, keys=keys)
        part.replace(beside)
    except OSError:
        part.unlink(missing_ok=True)


def _name(paths: Sequence[str]) -> tuple[Any, ...]:
    """A file as it is now: one that was written anew under the same name has another."""
    stat = Path(paths[0]).stat()
    return paths[0], stat.st_size, stat.st_mtime_ns, stat.st_ino
