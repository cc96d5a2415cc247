"""The queue's tasks: each calls one use case."""

import logging
from collections.abc import Callable, Iterator
from contextlib import contextmanager

import procrastinate
from sqlalchemy.exc import OperationalError

from upholster.store.session import address
from upholster.studio import queue
from upholster.studio.footage import reading
from upholster.studio.renders import check, join, make, states, stocking

app = procrastinate.App(connector=procrastinate.PsycopgConnector(conninfo=address()))

#: A database that went away comes back; the work is then simply done again.
_again = procrastinate.RetryStrategy(max_attempts=20, wait=3, retry_exceptions=[OperationalError])


log = logging.getLogger(__name__)

_SORRY = "Something went wrong inside Upholster; the log says what. Try again, and report it if it stays."


@contextmanager
def _or(give_up: Callable[[str], None]) -> Iterator[None]:
    """An error nobody foresaw ends the work with a sentence instead of being tried for ever."""
    try:
        yield
    except OperationalError:
        raise
    except Exception:
        log.exception("a task failed")
        give_up(_SORRY)


@app.task(name=queue.READ, retry=_again)
def read_footage(reading_id: int) -> None:
    with _or(lambda problem: reading.give_up(reading_id, problem)):
        reading.read(reading_id)


@app.task(name=queue.RANGE, retry=_again)
def render_range(pass_id: int, position: int) -> None:
    with _or(lambda problem: states.fail_pass(pass_id, problem)):
        make.make_range(pass_id, position)


@app.task(name=queue.ASSEMBLE, retry=_again)
def assemble_render(render_id: int) -> None:
    with _or(lambda problem: states.fail(render_id, problem)):
        join.assemble(render_id)


@app.task(name=queue.CHECK, retry=_again)
def check_render(render_id: int, position: int) -> None:
    with _or(lambda problem: states.fail(render_id, problem)):
        check.check(render_id, position)


@app.task(name=queue.FINISH, retry=_again)
def finish_render(render_id: int) -> None:
    with _or(lambda problem: states.fail(render_id, problem)):
        stocking.finish(render_id)
