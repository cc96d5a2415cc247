"""Long lists in pieces: the next one comes when the end of the last is seen."""

from collections.abc import Sequence
from secrets import token_hex
from typing import Any, NamedTuple

from flask import request

#: Entries of one piece, and most that a page that is drawn anew can have grown to.
PIECE, MOST = 24, 5000


class Page(NamedTuple):
    """What of a list is asked for."""

    skip: int
    most: int

    def of(self, found: Sequence[Any]) -> dict[str, Any]:
        """
        The entries for a template, where one more than `most` was looked up, and where the next piece begins.

        `mark` is another one in every answer (see `more.html`).
        """
        rest = self.skip + self.most if len(found) > self.most else 0
        return {"rows": found[: self.most], "skip": self.skip, "next": rest, "mark": token_hex(4)}


def asked() -> Page:
    """The piece that a request wants: by default the first one, or as many entries as its page shows already."""
    given = {name: request.values.get(name, 0, type=int) for name in ("skip", "count")}
    return Page(max(0, min(given["skip"], 10**9)), max(PIECE, min(given["count"], MOST)))
