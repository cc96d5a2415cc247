"""What is ordered, and how its making is told of and called off."""

from collections.abc import Callable
from typing import NamedTuple

from upholster.media.delivery import Plan
from upholster.studio.making.keying import Footage

#: Called with the number of frames done so far; may raise to stop the work.
Progress = Callable[[int], None]


class Stopped(Exception):
    """The work was called off."""


class Order(NamedTuple):
    """One delivery of a shot: its plan, and the footage of its ground where it has one."""

    planned: Plan
    ground: Footage | None = None


def silent(done: int) -> None:
    """Progress nobody wants to hear of."""
