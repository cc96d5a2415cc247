"""Whether somebody's hand is at work just now: what can wait leaves the machine to it. Known to all processes."""

import os
import time
from collections.abc import Callable

from upholster.studio import paths

#: Seconds between two looks, and how many of them what can wait waits at most: it is to be done at some time.
_LOOK, _MOST = 0.1, 50
#: Seconds without a picture asked for after which a hand rests.
_RESTS = 0.8


#: Asked between two steps of a picture, it raises `Overtaken` where nobody wants that any more.
GoingOn = Callable[[], None]


class Overtaken(Exception):
    """A newer picture is wanted by whoever asked for this one."""


def anyway() -> None:
    """Go on, whatever else is wanted."""


def moves() -> None:
    """Somebody asked for a picture."""
    try:
        os.utime(paths.hand())
    except FileNotFoundError:
        paths.hand().touch()


def rests() -> bool:
    """Whether nobody has asked for a picture in the last moments."""
    try:
        return abs(time.time() - paths.hand().stat().st_mtime) > _RESTS
    except FileNotFoundError:
        return True


def give_way() -> None:
    """Wait until the hand rests, though not for ever."""
    for _ in range(_MOST):
        if rests():
            return
        time.sleep(_LOOK)
