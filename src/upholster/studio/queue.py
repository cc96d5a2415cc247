"""Asking for work. The tasks themselves are in `upholster.work`; here they are known by name."""

from collections.abc import Sequence
from contextlib import suppress
from typing import NamedTuple

from procrastinate import SyncPsycopgConnector
from procrastinate.exceptions import AlreadyEnqueued
from procrastinate.jobs import Job
from procrastinate.manager import JobManager
from sqlalchemy import text
from sqlalchemy.orm import Session

from upholster.store.session import address, session

READ, TRACE, STOCK, PROXY, MEASURE = "read_footage", "trace", "stock_footage", "clip_proxy", "measure_shot"
RANGE, ASSEMBLE = "render_range", "assemble_render"
CHECK, FINISH = "check_render", "finish_render"

#: Within renders of one place, what brings a file nearer to its end comes first.
_RANK = {RANGE: 0, CHECK: 1, ASSEMBLE: 2}
#: What needs moments and completes a render, or makes footage usable, waits for nobody's frames.
_FIRST = {FINISH: 2_000_000, READ: 1_000_000, TRACE: 800_000, STOCK: 900_000, PROXY: 700_000}
#: What nobody waits for comes after all else.
_LAST = {MEASURE: -1_000_000}
#: Places are kept within this, so that they stay below what comes first.
_OUTERMOST = 100_000


class Asked(NamedTuple):
    """A piece of work: its task, the place of its render (higher comes sooner), and its arguments."""

    task: str
    arguments: dict[str, int]
    place: int = 0

    @property
    def lock(self) -> str:
        return "-".join([self.task, *(str(v) for v in self.arguments.values())])


def priority(task: str, place: int) -> int:
    """A job's priority in the queue; the highest is taken first."""
    return _FIRST.get(task, _LAST.get(task, 0)) + 4 * max(-_OUTERMOST, min(place, _OUTERMOST)) + _RANK.get(task, 0)


def ask(task: str, place: int = 0, **arguments: int) -> None:
    """Queue a job unless the same one is already waiting or under way."""
    ask_all([Asked(task, arguments, place)])


def ask_all(wanted: Sequence[Asked]) -> None:
    """Queue those jobs that are neither waiting nor under way; two queries, however many there are."""
    if not wanted:
        return
    # Where the job of a worker that died was put back meanwhile, what is still missing is asked for again soon.
    with suppress(AlreadyEnqueued), session() as db:
        _ask_all(db, wanted)


def _ask_all(db: Session, wanted: Sequence[Asked]) -> None:
    live = text("SELECT lock FROM procrastinate_jobs WHERE lock = ANY(:locks) AND status IN ('todo', 'doing')")
    # One asks at a time, so that nothing is asked for twice.
    db.execute(text("SELECT pg_advisory_xact_lock(hashtext('upholster asks'))"))
    there = set(db.scalars(live, {"locks": [asked.lock for asked in wanted]}))
    jobs = [
        Job(
            queue="default",
            priority=priority(asked.task, asked.place),
            lock=asked.lock,
            queueing_lock=asked.lock,
            task_name=asked.task,
            task_kwargs=dict(asked.arguments),
        )
        for asked in wanted
        if asked.lock not in there
    ]
    if not jobs:
        return
    manager = JobManager(SyncPsycopgConnector(conninfo=address()))
    manager.batch_defer_jobs(jobs, connection=db.connection().connection.dbapi_connection)


def others_wait(task: str) -> bool:
    """Whether any other work than a task waits for a worker."""
    waiting = text("SELECT 1 FROM procrastinate_jobs WHERE status = 'todo' AND task_name <> :task LIMIT 1")
    with session() as db:
        return db.scalar(waiting, {"task": task}) is not None


def move(task: str, number: int, place: int) -> None:
    """Give the waiting jobs of a task, those whose first argument is `number`, another place."""
    with session() as db:
        waiting = text(
            "UPDATE procrastinate_jobs SET priority = :priority "
            "WHERE status = 'todo' AND (lock = :own OR lock LIKE :parts)"
        )
        db.execute(
            waiting, {"priority": priority(task, place), "own": f"{task}-{number}", "parts": f"{task}-{number}-%"}
        )
