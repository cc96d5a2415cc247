"""Names of files: safe ones, and ones that are not taken."""

import re
import unicodedata
from pathlib import PurePath

#: Characters no name has: controls, and halves of a character that no database takes.
_UNREADABLE = re.compile("[\x00-\x1f\x7f\ud800-\udfff]")
_UNSAFE = re.compile(r"[^\w .()+-]", re.ASCII)


def clean(given: str, most: int = 120) -> str:
    """Words as a person gave them, without characters that cannot be shown or kept."""
    return " ".join(_UNREADABLE.sub(" ", given).split())[:most]


def safe_name(given: str) -> str:
    """A file name without folders or characters any file system or header minds; never empty."""
    plain = unicodedata.normalize("NFKD", PurePath(given.replace("\\", "/")).name).encode("ascii", "ignore").decode()
    return _UNSAFE.sub("_", plain).strip(" .")[:120] or "unnamed"


def next_version(stem: str, taken: set[str]) -> str:
    """`stem` with the first version number that is free: ``moth_v001``.

    A version is taken by files of several formats too, whose names go on after it: ``moth_v001_gif``.
    """
    number = 1
    while any(name == f"{stem}_v{number:03d}" or name.startswith(f"{stem}_v{number:03d}_") for name in taken):
        number += 1
    return f"{stem}_v{number:03d}"
