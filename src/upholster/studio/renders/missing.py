"""Finding what is still to be done, and what nobody needs any more."""

import shutil
from collections.abc import Iterator

from sqlalchemy import select
from sqlalchemy.orm import selectinload

from upholster.store.models import Clip, Render, RenderPass
from upholster.store.session import session
from upholster.store.states import RenderState
from upholster.studio import paths, queue
from upholster.studio.footage.reading import unread
from upholster.studio.queue import Asked
from upholster.studio.renders.states import ACTIVE
from upholster.studio.stock import brought_in
from upholster.studio.traces import runs


def enqueue_missing(only: int | None = None) -> None:
    """Ask for all work that unfinished passes still lack; what is asked for already is left alone.

    A constant number of queries, however many ranges there are.
    """
    with session() as db:
        query = select(Render).where(Render.state.in_(ACTIVE)).order_by(Render.id)
        query = query.options(selectinload(Render.made_in).selectinload(RenderPass.ranges), selectinload(Render.checks))
        unfinished = list(db.scalars(query if only is None else query.where(Render.pass_id == only)))
    reading = [Asked(queue.READ, {"reading_id": n}) for n in (unread() if only is None else ())]
    reading += [Asked(queue.STOCK, {"footage_id": n}) for n in (brought_in.unkept() if only is None else ())]
    reading += [Asked(queue.TRACE, {"run_id": n}) for n in (runs.unfinished() if only is None else ())]
    # Renders of one pass want the same ranges.
    queue.ask_all(list({w.lock: w for w in (*reading, *(w for r in unfinished for w in _missing(r)))}.values()))


def _missing(render: Render) -> Iterator[Asked]:
    """The work that brings a render on from where it stands."""
    own = {"render_id": render.id}
    missing = [r.position for r in render.ranges if not r.done]
    if missing:
        for position in missing:
            yield Asked(queue.RANGE, {"pass_id": render.pass_id, "position": position}, render.place)
    elif render.state != RenderState.CHECKING:
        yield Asked(queue.ASSEMBLE, own, render.place)
    elif unchecked := [c.position for c in render.checks if c.found is None]:
        for position in unchecked:
            yield Asked(queue.CHECK, own | {"position": position}, render.place)
    else:
        yield Asked(queue.FINISH, own, render.place)


def sweep() -> None:
    """Clear away what renders that have ended, or were cut short while stocking, left on the disk."""
    # Listed before it is asked which of them are wanted: a folder made in between is not among them.
    renders, clips = paths.render_folders(), paths.clip_folders()
    with session() as db:
        going = set(db.scalars(select(Render.id).where(Render.state.in_(ACTIVE))))
        stocked = set(db.scalars(select(Clip.render_id)))
    for folder in renders:
        if int(folder.name) not in going:
            shutil.rmtree(folder, ignore_errors=True)
    for folder in clips:
        if int(folder.name.removesuffix(".part")) not in going | stocked:
            shutil.rmtree(folder, ignore_errors=True)
