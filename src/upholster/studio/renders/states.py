"""How a render goes on from one phase to the next, and how it ends."""

import errno
import logging
import shutil
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from datetime import UTC, datetime

from sqlalchemy import Update, select, update

from upholster.media.errors import MediaError
from upholster.media.proof import Proof
from upholster.store.models import Render
from upholster.store.session import session
from upholster.store.states import RenderState
from upholster.studio import paths
from upholster.studio.errors import Refused
from upholster.studio.making.orders import Progress, Stopped

log = logging.getLogger(__name__)

#: Phases of renders under way.
ACTIVE = (RenderState.RUNNING, RenderState.ENCODING, RenderState.CHECKING)
#: Seconds between two notes of progress; also how soon a cancel is noticed.
TELL = 0.4


def now() -> datetime:
    return datetime.now(UTC)


def start(render_ids: list[int]) -> None:
    """Note when the first work on renders began."""
    with session() as db:
        waiting = update(Render).where(Render.id.in_(render_ids), Render.started_at.is_(None))
        db.execute(waiting.values(started_at=now()))


def go_on(render_id: int, state: str) -> None:
    """Go on to the next phase, or stop where the render was called off."""
    if not _change(render_id, state=state):
        raise Stopped


def end(render_id: int, **values: object) -> bool:
    """End a render that is under way; False where it has ended already."""
    return _change(render_id, finished_at=now(), **values)


def fail(render_id: int, problem: str, proof: Proof | None = None) -> None:
    """End a render with a sentence; one that has ended already, as by a cancel, stays as it is."""
    report = proof.model_dump(mode="json") if proof else None
    end(render_id, state=RenderState.FAILED, problem=problem, proof=report)
    clear_away(render_id)


def fail_pass(pass_id: int, problem: str) -> None:
    """End all renders of a pass with a sentence."""
    with session() as db:
        going = list(db.scalars(select(Render.id).where(Render.pass_id == pass_id, Render.state.in_(ACTIVE))))
    for render_id in going:
        fail(render_id, problem)


def fail_proof(render_id: int, proof: Proof) -> None:
    """End a render whose file is not what it should be."""
    fail(
        render_id,
        f"The file did not pass its proof: {proof.reason} Render it again or choose another format.",
        proof,
    )


def clear_away(render_id: int) -> None:
    """Remove what a render has on the disk beside its finished file."""
    shutil.rmtree(paths.render_folder(render_id), ignore_errors=True)


@contextmanager
def ended_with_a_sentence(render_id: int) -> Iterator[None]:
    """A render that is called off is cleared away; one that cannot go on fails with a sentence."""
    try:
        yield
    except Stopped:
        clear_away(render_id)
    except (MediaError, Refused, OSError) as error:
        fail(render_id, sentence(error))


def sentence(error: Exception) -> str:
    """What to tell people of an error met while rendering."""
    if isinstance(error, MediaError | Refused):
        return str(error)
    if isinstance(error, OSError) and error.errno in (errno.ENOSPC, errno.EDQUOT):
        return "The disk is full. Free some room and render again."
    log.exception("a render could not be written")
    return "The files could not be written. See that the media folder can be written to, then start the render again."


def noted(render_id: int, state: str, note: Callable[[int], Update]) -> Progress:
    """Notes how far a phase of a single render is; stops the work once it is called off."""
    told = 0.0

    def progress(done: int) -> None:
        nonlocal told
        if time.monotonic() - told < TELL:
            return
        told = time.monotonic()
        with session() as db:
            if db.scalar(select(Render.state).where(Render.id == render_id)) != state:
                raise Stopped
            db.execute(note(done))

    return progress


def _change(render_id: int, **values: object) -> bool:
    """Change a render that has not ended; False where it has."""
    with session() as db:
        query = update(Render).where(Render.id == render_id, Render.state.in_(ACTIVE)).returning(Render.id)
        return db.execute(query.values(**values)).first() is not None
