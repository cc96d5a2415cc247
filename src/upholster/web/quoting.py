"""Reckoning what deliveries cost: one at a time, for whoever asked last, while no hand moves."""

import threading
from collections.abc import Callable

from upholster.studio.looking import hand
from upholster.studio.making.orders import Progress, Stopped
from upholster.studio.renders.estimate import Estimate
from upholster.web.newest import Newest

#: How often a hand that moves has the machine first; it is to be reckoned at some time.
_YIELDS = 3
_one = threading.Lock()
_newest = Newest()


class _Yielded(Stopped):
    """A hand moves: it is begun anew when that rests, for a wait in between would count as work."""


def quoted(window: str, sequence: int, reckon: Callable[[Progress], Estimate]) -> Estimate | None:
    """An estimate; None where a newer question of the same window has come in since."""
    _newest.note(window, sequence)
    yields = _YIELDS

    def going_on(done: int = 0) -> None:
        if _newest.overtaken(window, sequence):
            raise Stopped
        if yields and not hand.rests():
            raise _Yielded

    with _one:
        while not _newest.overtaken(window, sequence):
            hand.give_way()
            try:
                going_on()
                return reckon(going_on)
            except _Yielded:
                yields -= 1
            except Stopped:
                break
    return None
