"""Documents of older versions, brought up to date one version at a time."""

from collections.abc import Callable, Mapping
from typing import Any

Document = dict[str, Any]
#: For each older version, what turns its document into one of the next.
Migrations = Mapping[int, Callable[[Document], Document]]


class VersionError(ValueError):
    """The document is of a version this program does not know; the message says which it reads."""


def up_to_date(document: Document, version: int, migrations: Migrations, what: str) -> Document:
    """A document as `version` has it; one that states none is of the first.

    Raises
    ------
    VersionError
        With one sentence that calls the document `what`.
    """
    found = document.get("version", 1)
    if type(found) is not int or not 1 <= found <= version:
        raise VersionError(f"This {what} has version {str(found)[:20]}; this program reads 1 to {version}. Update it.")
    for older in range(found, version):
        document = migrations[older](document)
    return document
