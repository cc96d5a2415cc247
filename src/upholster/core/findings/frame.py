"""All that is wrong with one frame."""

from typing import NamedTuple

from upholster.core.findings.jump import Tale, tale
from upholster.core.findings.kinds import KINDS, Name
from upholster.core.findings.moved import moved
from upholster.core.findings.places import Place, places
from upholster.core.findings.seen import Seen


class Measured(NamedTuple):
    """What was found on a frame: places by kind, and what it tells as a whole."""

    places: dict[Name, list[Place]]
    tale: Tale


def measure(here: Seen, before: Seen | None, after: Seen | None) -> Measured:
    """Measure a frame, with the ones before and after it as far as there are any."""
    beside = [moved(here, other) for other in (before, after) if other is not None]
    found: dict[Name, list[Place]] = {}
    for name, kind in KINDS.items():
        if kind.measure:
            error = kind.measure(here, beside)
            unit = here.unit * error.shape[1] / here.size[0]
            there = places(error, floor=kind.floor, peak=kind.peak, least=kind.least, unit=unit)
            if there:
                found[name] = there
    return Measured(found, tale(here))
