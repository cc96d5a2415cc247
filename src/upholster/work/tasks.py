"""The queue's tasks: each calls one use case."""

import logging
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from inspect import signature

import procrastinate
import psycopg
from procrastinate.tasks import Task
from sqlalchemy.exc import OperationalError

from upholster.store.session import address
from upholster.studio import queue
from upholster.studio.findings import measuring, standing
from upholster.studio.fittings import proxies
from upholster.studio.footage import reading
from upholster.studio.renders import check, join, make, missing, states, stocking
from upholster.studio.stock import brought_in
from upholster.studio.traces import runs
from upholster.studio.watched import arrivals

app = procrastinate.App(connector=procrastinate.PsycopgConnector(conninfo=address()))

#: A database that went away comes back; the work is then simply done again.
_AWAY = (OperationalError, psycopg.OperationalError)
_again = procrastinate.RetryStrategy(max_attempts=20, wait=3, retry_exceptions=_AWAY)

log = logging.getLogger(__name__)

_SORRY = "Something went wrong inside Upholster; the log says what. Try again, and report it if it stays."


@contextmanager
def _alone(lock: str) -> Iterator[bool]:
    """Whether nobody else is at this work; as long as the block lasts, nobody else gets to it.

    A worker that was silent for long is taken for dead and its work given to another, but it may be alive: beside
    busy processes, or after the machine slept. Two at the same files would spoil them for each other. The lock goes
    with its connection, and so with the process.
    """
    with psycopg.connect(address(), autocommit=True) as held:
        row = held.execute("SELECT pg_try_advisory_lock(hashtextextended(%s, 0))", [lock]).fetchone()
        yield bool(row and row[0])


def _task(name: str, work: Callable[..., None], give_up: Callable[[int, str], None]) -> Task[..., None, ...]:
    """A task that does `work` unless somebody is at it already.

    An error nobody foresaw ends it with a sentence, given to `give_up` with the first argument, instead of being tried
    for ever.
    """
    names = tuple(signature(work).parameters)

    @app.task(name=name, retry=_again)
    def run(**arguments: int) -> None:
        with _alone(queue.Asked(name, {n: arguments[n] for n in names}).lock) as mine:
            if not mine:
                log.info("%s %s is worked on already", name, arguments)
                return
            try:
                work(**arguments)
            except _AWAY:
                raise
            except Exception:
                log.exception("a task failed")
                give_up(arguments[names[0]], _SORRY)

    return run


def trace(run_id: int) -> None:
    """Make the mattes of a run, then go on with the renders that waited for them."""
    runs.work(run_id)
    missing.enqueue_missing()


def measure(shot_id: int) -> None:
    """Measure what is not known of a shot, then sum it up."""
    measuring.work(shot_id)
    standing.summarise(shot_id)


def watch() -> None:
    """Go on with what landed in watched folders, unless another worker is at it."""
    with _alone("watched folders") as mine:
        if mine:
            arrivals.step()


read_footage = _task(queue.READ, reading.read, reading.give_up)
render_range = _task(queue.RANGE, make.make_range, states.fail_pass)
assemble_render = _task(queue.ASSEMBLE, join.assemble, states.fail)
run_trace = _task(queue.TRACE, trace, runs.give_up)
stock_footage = _task(queue.STOCK, brought_in.keep, brought_in.give_up)
clip_proxy = _task(queue.PROXY, proxies.make, proxies.give_up)
measure_shot = _task(queue.MEASURE, measure, measuring.give_up)
check_render = _task(queue.CHECK, check.check, states.fail)
finish_render = _task(queue.FINISH, stocking.finish, states.fail)
