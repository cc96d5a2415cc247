"""Asking for work. The tasks themselves are in `upholster.work`; here they are known by name."""

from functools import cache

import procrastinate
from sqlalchemy import text

from upholster.store.session import address, session

READ, RANGE, ASSEMBLE = "read_footage", "render_range", "assemble_render"
CHECK, FINISH = "check_render", "finish_render"


@cache
def _app() -> procrastinate.App:
    app = procrastinate.App(connector=procrastinate.SyncPsycopgConnector(conninfo=address()))
    app.open()
    return app


def ask(task: str, place: int = 0, **arguments: int) -> None:
    """Queue a job unless the same one is already waiting or under way; a higher place comes sooner."""
    lock = "-".join([task, *(str(v) for v in arguments.values())])
    with session() as db:
        live = text("SELECT 1 FROM procrastinate_jobs WHERE lock = :lock AND status IN ('todo', 'doing') LIMIT 1")
        if db.execute(live, {"lock": lock}).first():
            return
    try:
        _app().configure_task(task, lock=lock, queueing_lock=lock, priority=place).defer(**arguments)
    except procrastinate.exceptions.AlreadyEnqueued:
        return


def move(task: str, number: int, place: int) -> None:
    """Give the waiting jobs of a task, those whose first argument is `number`, another place."""
    with session() as db:
        waiting = text(
            "UPDATE procrastinate_jobs SET priority = :place "
            "WHERE status = 'todo' AND (lock = :own OR lock LIKE :parts)"
        )
        db.execute(waiting, {"place": place, "own": f"{task}-{number}", "parts": f"{task}-{number}-%"})
