"""Lists in pieces."""

from flask import request

from upholster.studio.errors import Refused
from upholster.web.api.offers import number
from upholster.web.requests.body import number_asked

#: Entries of a list in one answer.
_PIECE, _MOST = 50, 200
#: What is asked of a list.
LIST = {"skip": number("Entries to leave out"), "most": number("Entries at most", _PIECE, _MOST)}


def piece() -> tuple[int, int]:
    skip = number_asked("skip") if "skip" in request.args else 0
    most = number_asked("most") if "most" in request.args else _PIECE
    if skip > 2**31 - 1 or most > _MOST:
        raise Refused(f"A list gives at most {_MOST} entries in one answer; ask for the next by “skip”.")
    return skip, most
