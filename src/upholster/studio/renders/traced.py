"""Mattes of traces that a render waits for: asked for when it is ordered, and waited for before its first frame."""

from collections.abc import Iterable

from upholster.core.documents.recipe import Recipe
from upholster.store.models import Footage
from upholster.store.states import RunState
from upholster.studio.errors import Refused
from upholster.studio.fittings.sources import LiveShot
from upholster.studio.making.tracing import missing_of
from upholster.studio.traces import runs
from upholster.studio.traces.mattes import mattes_of


def start_missing_of(shots: Iterable[LiveShot]) -> None:
    """Have what is missing of the mattes of some shots made."""
    for live in shots:
        start_missing(live.footage, live.shot.id, live.recipe)


def start_missing(footage: Footage, shot_id: int, recipe: Recipe) -> None:
    """Have the traces of a recipe run as far as mattes are missing."""
    missing = [trace for trace, _ in missing_of(mattes_of(footage), recipe)]
    for mark, trace in recipe.traces.each.items():
        if trace in missing:
            runs.start(footage, shot_id, recipe, mark)


def words_of_missing(footage: Footage, recipe: Recipe) -> str:
    """What a render has to wait for, in a sentence; empty where there is nothing."""
    missing = missing_of(mattes_of(footage), recipe)
    told = [f"“{trace.name}” on {len(frames)} frame{'s' * (len(frames) != 1)}" for trace, frames in missing]
    return f"First to be traced: {', '.join(told)}." if told else ""


def has_to_wait(footage: Footage, shot_id: int, recipe: Recipe) -> bool:
    """Whether mattes are still being made.

    Raises
    ------
    Refused
        Where some are missing that nobody is making any more.
    """
    for trace, frames in missing_of(mattes_of(footage), recipe):
        mark = next(mark for mark, each in recipe.traces.each.items() if each == trace)
        newest = runs.newest(shot_id, mark)
        if newest is not None and newest.state == RunState.RUNNING:
            return True
        problem = newest.problem if newest is not None else ""
        raise Refused(
            problem
            or f"The trace “{trace.name}” was stopped before it had its mattes: {len(frames)} are missing. "
            "Render again, and it is run first."
        )
    return False
