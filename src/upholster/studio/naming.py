"""Names of files: safe ones, and ones that are not taken."""

import re
import unicodedata
from pathlib import PurePath

_UNSAFE = re.compile(r"[^\w .()+-]", re.ASCII)


def safe_name(given: str) -> str:
    """A file name without folders or characters any file system or header minds; never empty."""
    plain = unicodedata.normalize("NFKD", PurePath(given.replace("\\", "/")).name).encode("ascii", "ignore").decode()
    return _UNSAFE.sub("_", plain).strip(" .")[:120] or "unnamed"


def next_version(stem: str, taken: set[str]) -> str:
    """`stem` with the first version number that is free: ``moth_v001``."""
    number = 1
    while f"{stem}_v{number:03d}" in taken:
        number += 1
    return f"{stem}_v{number:03d}"
