"""Runs that carry the mattes of a trace over its span: asked for, done by a worker, followed, called off."""

import logging
import time
from datetime import UTC, datetime
from typing import Any, NamedTuple

from sqlalchemy import select, update
from sqlalchemy.dialects.postgresql import distinct_on, insert
from sqlalchemy.orm import Session

from upholster.core.documents.recipe import Recipe
from upholster.core.documents.traces import Trace
from upholster.media.errors import MediaError
from upholster.store.models import Bake, Footage, Shot, TraceRun
from upholster.store.session import session
from upholster.store.states import RunState
from upholster.studio import drawings, queue
from upholster.studio.errors import Missing, Refused
from upholster.studio.footage.bring_in import source_of
from upholster.studio.making import tracing
from upholster.studio.traces.mattes import mattes_of

log = logging.getLogger(__name__)

#: Seconds between two notes of progress.
_TELL = 0.2


class Standing(NamedTuple):
    """How far the mattes of a trace are.

    Attributes
    ----------
    first, last : int
        The frames it is to have mattes on.
    missing : of int
        Those that have none, or none that is right as the strokes are now.
    doubts : by int
        How unsure the mattes that are there are, 0 to 1.
    running : int
        The number of the run under way; 0 where there is none.
    left : float
        About how many seconds the run still takes; 0 where that is not known.
    problem : str
        Why the last run failed.
    """

    first: int
    last: int
    missing: list[int]
    doubts: dict[int, float]
    running: int
    left: float
    problem: str


def trace_of(recipe: Recipe, mark: str) -> Trace:
    """A trace by its mark.

    Raises
    ------
    Refused
        Where there is none.
    """
    if mark not in recipe.traces.each:
        raise Refused("This trace is not here any more.")
    return recipe.traces.each[mark]


def start(footage: Footage, shot_id: int, recipe: Recipe, mark: str) -> int:
    """Ask for what is missing of a trace; the number of the run."""
    trace = trace_of(recipe, mark)
    length = int(footage.facts["length"])
    if not trace.span(length):
        raise Refused(f"The trace lies outside of this clip, which has frames 0 to {length - 1}.")
    if trace.base not in trace.anchors or not any(s.kind == "keep" for s in trace.strokes.on(trace.base).each):
        raise Refused(f"Brush over what to keep on the base frame {trace.base} first.")
    missing = mattes_of(footage).missing(trace)
    if not missing:
        raise Refused("All of its mattes are there.")
    with session() as db:
        if db.get(Shot, shot_id) is None:
            raise Missing("This shot is not here any more.")
        document = trace.model_dump(mode="json", context={"keep": drawings.keeper(db)})
        going = _newest(db, shot_id).get(mark)
        if going is not None and going.state == RunState.RUNNING and going.trace == document:
            return going.id
        _end(db, shot_id, mark)
        run = TraceRun(shot_id=shot_id, mark=mark, trace=document, frames=len(missing), state=RunState.RUNNING)
        db.add(run)
        db.flush()
        number = run.id
    queue.ask(queue.TRACE, run_id=number)
    return number


def cancel(shot_id: int, mark: str) -> None:
    """Call off the run of a trace; the mattes it made stay."""
    with session() as db:
        _end(db, shot_id, mark)


def _end(db: Session, shot_id: int, mark: str) -> None:
    going = TraceRun.shot_id == shot_id, TraceRun.mark == mark, TraceRun.state == RunState.RUNNING
    db.execute(update(TraceRun).where(*going).values(state=RunState.CANCELLED))


def work(run_id: int) -> None:
    """Make the mattes of a run, as far as nobody calls it off."""
    with session() as db:
        run = db.get(TraceRun, run_id)
        if run is None or run.state != RunState.RUNNING:
            return
        run.started_at = datetime.now(UTC)
        footage = db.get_one(Shot, run.shot_id).footage
        trace = Trace.model_validate(run.trace, context={"find": drawings.find})
    told, done = 0.0, 0
    try:
        for step in tracing.make(source_of(footage), trace, mattes_of(footage)):
            done += 1
            with session() as db:
                row = insert(Bake).values(digest=step.name, doubt=step.doubt)
                db.execute(row.on_conflict_do_update(index_elements=["digest"], set_={"doubt": step.doubt}))
            if time.monotonic() - told > _TELL:
                told = time.monotonic()
                if not _note(run_id, frames_done=done):
                    return
        _note(run_id, frames_done=done, state=RunState.DONE)
    except (MediaError, Refused) as error:
        give_up(run_id, str(error))
    except OSError:
        log.exception("mattes could not be kept")
        give_up(run_id, "The mattes could not be kept. Make room on the disk, then run the trace again.")


def give_up(run_id: int, problem: str) -> None:
    """End a run with a sentence."""
    _note(run_id, state=RunState.FAILED, problem=problem)


def _note(run_id: int, **values: Any) -> bool:
    """Note something of a run; False where it was called off."""
    with session() as db:
        going = TraceRun.id == run_id, TraceRun.state == RunState.RUNNING
        return bool(db.execute(update(TraceRun).where(*going).values(**values).returning(TraceRun.id)).first())


def unfinished() -> list[int]:
    """Runs that are under way."""
    with session() as db:
        return list(db.scalars(select(TraceRun.id).where(TraceRun.state == RunState.RUNNING)))


def newest(shot_id: int, mark: str) -> TraceRun | None:
    """The run of a trace that was asked for last."""
    with session() as db:
        return _newest(db, shot_id).get(mark)


def _newest(db: Session, shot_id: int) -> dict[str, TraceRun]:
    """The latest run of each trace of a shot."""
    runs = select(TraceRun).where(TraceRun.shot_id == shot_id).order_by(TraceRun.mark, TraceRun.id.desc())
    return {found.mark: found for found in db.scalars(runs.ext(distinct_on(TraceRun.mark)))}


def shots_being_traced() -> set[int]:
    """The shots of which a trace is run."""
    with session() as db:
        return set(db.scalars(select(TraceRun.shot_id).where(TraceRun.state == RunState.RUNNING)))


def standing(footage: Footage, shot_id: int, recipe: Recipe) -> dict[str, Standing]:
    """How far each trace of a recipe is."""
    mattes = mattes_of(footage)
    with session() as db:
        newest = _newest(db, shot_id)
        names = {mark: mattes.names(trace) for mark, trace in recipe.traces.each.items()}
        wanted = {name for found in names.values() for name in found.values()}
        rows = db.execute(select(Bake.digest, Bake.doubt).where(Bake.digest.in_(wanted)))
        doubts: dict[str, float] = {row.digest: row.doubt for row in rows}
    out = {}
    for mark, trace in recipe.traces.each.items():
        found = names[mark]
        missing = sorted(frame for frame, name in found.items() if not mattes.bakes.there(name))
        known = {frame: round(doubts[name], 3) for frame, name in found.items() if name in doubts}
        run = newest.get(mark)
        going = run is not None and run.state == RunState.RUNNING
        left = 0.0
        if run is not None and going and run.started_at and run.frames_done:
            took = (datetime.now(UTC) - run.started_at).total_seconds()
            left = took / run.frames_done * max(0, run.frames - run.frames_done)
        problem = run.problem if run is not None and run.state == RunState.FAILED else ""
        span = trace.span(mattes.length)
        number = run.id if run is not None and going else 0
        out[mark] = Standing(span.start, span.stop - 1, missing, known, number, round(left, 1), problem)
    return out
