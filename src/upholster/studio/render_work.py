"""The work behind renders: made in ranges by any number of workers, put together, proofed, stocked.

The files on disk are the truth: a range is made when its part lies there whole. Whatever was
killed is found again by `mend`, which asks once more for every piece of work still missing.
"""

import errno
import logging
import shutil
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from datetime import UTC, datetime
from pathlib import Path
from typing import NamedTuple

from sqlalchemy import Update, select, update
from sqlalchemy.orm import selectinload

from upholster.media import preview
from upholster.media.delivery import plan, read_delivery
from upholster.media.encoder.join import join_movies
from upholster.media.errors import MediaError
from upholster.media.files import put_whole
from upholster.media.proof import Proof, judged
from upholster.store.models import Clip, Render, RenderCheck, RenderPass, RenderRange
from upholster.store.session import session
from upholster.studio import delivering, places, queue
from upholster.studio.bring_in import source_of, unread
from upholster.studio.delivering import Order, Stopped
from upholster.studio.errors import Refused
from upholster.studio.grounds import ground_of
from upholster.studio.keying import Making
from upholster.studio.queue import Asked
from upholster.studio.screens import making_of
from upholster.studio.shots import recipe_at
from upholster.studio.sidecar import write_sidecar

log = logging.getLogger(__name__)

#: Seconds between two notes of progress; also how soon a cancel is noticed.
TELL = 0.4

ACTIVE = ("running", "encoding", "checking")


class Job(NamedTuple):
    """What a worker needs to know of a render."""

    render: Render
    sha256: str
    making: Making
    take: range
    order: Order


def make_range(pass_id: int, position: int) -> None:
    """Make one range of a pass for all of its renders that are under way, unless it is made already."""
    with session() as db:
        part = db.get(RenderRange, (pass_id, position))
        running = list(db.scalars(select(Render.id).where(Render.pass_id == pass_id, Render.state == "running")))
    if part is None or not running:
        return
    if not part.done:
        try:
            jobs = [_job(render_id) for render_id in running]
        except (MediaError, Refused) as error:
            fail_pass(pass_id, _sentence(error))
            return
        _start(running)
        numbers = range(part.first, part.end)
        try:
            delivering.write_part(
                jobs[0].making,
                jobs[0].take,
                [(job.order, _part_of(job, position)) for job in jobs],
                numbers,
                progress=_progress(running, pass_id, position, len(numbers)),
            )
        except Stopped:
            # One was called off: what is left of the pass goes on without it.
            _clear_ended(running)
            make_range(pass_id, position)
            return
        except (MediaError, Refused, OSError) as error:
            fail_pass(pass_id, _sentence(error))
            return
        with session() as db:
            row = db.get_one(RenderRange, (pass_id, position))
            row.done, row.frames_done = True, len(numbers)
    mend(pass_id)


def assemble(render_id: int) -> None:
    """Put the ranges of a render together into the file to hand over."""
    with session() as db:
        render = db.get(Render, render_id)
        if render is None or render.state not in ("running", "encoding") or not all(r.done for r in render.ranges):
            return
        count = len(render.ranges)
    with _ended_with_a_sentence(render_id):
        job = _job(render_id)
        planned, home = job.order.planned, places.render_folder(render_id)
        _go_on(render_id, "encoding")
        files = delivering.assemble(
            job.making,
            job.take,
            planned,
            home,
            count,
            _target(job),
            progress=_noted(
                render_id,
                "encoding",
                lambda done: update(Render).where(Render.id == render_id).values(frames_encoded=done),
            ),
        )
        if planned.form.delivered_suffix == ".zip":
            delivering.pack(planned, files, job.render.name, _handed_over(job))
        _plan_checks(job)
        _go_on(render_id, "checking")
        mend(job.render.pass_id)


def check(render_id: int, position: int) -> None:
    """Prove one run of a finished file, unless it is proved already."""
    with session() as db:
        render, run = db.get(Render, render_id), db.get(RenderCheck, (render_id, position))
    if render is None or run is None or render.state != "checking":
        return
    if run.found is None:
        here = RenderCheck.render_id == render_id, RenderCheck.position == position
        with _ended_with_a_sentence(render_id):
            job = _job(render_id)
            found = delivering.check_part(
                job.making,
                job.take,
                job.order,
                _files(job),
                range(run.first, run.end),
                preview=_preview_part(render_id, position),
                progress=_noted(
                    render_id, "checking", lambda done: update(RenderCheck).where(*here).values(frames_done=done)
                ),
            )
            with session() as db:
                row = db.get_one(RenderCheck, (render_id, position))
                row.found, row.frames_done = found.model_dump(mode="json"), run.end - run.first
    mend(render.pass_id)


def finish(render_id: int) -> None:
    """Judge the proof of a render and put its file into the stockroom."""
    with session() as db:
        render = db.get(Render, render_id)
        if render is None or render.state != "checking" or any(c.found is None for c in render.checks):
            return
        runs = [Proof.model_validate(c.found) for c in render.checks]
    with _ended_with_a_sentence(render_id):
        job = _job(render_id)
        planned, home = job.order.planned, places.render_folder(render_id)
        proof = judged(runs, planned)
        if not proof.passed:
            sentence = f"The file did not pass its proof: {proof.reason} Render it again or choose another format."
            fail(render_id, sentence, proof)
            return
        file = _handed_over(job)
        write_sidecar(
            file.with_name(file.name + ".json"),
            recipe=job.making.recipe,
            revision=job.render.revision,
            source_sha256=job.sha256,
            delivery=planned.delivery,
            proof=proof,
        )
        previews = [_preview_part(render_id, position) for position in range(len(runs))]
        join_movies(preview.FORMAT, previews, home / "preview.webm", planned.timing.rate)
        _stock(job, home, file, proof)


@contextmanager
def _ended_with_a_sentence(render_id: int) -> Iterator[None]:
    """A render that is called off is cleared away; one that cannot go on fails with a sentence."""
    try:
        yield
    except Stopped:
        clear_away(render_id)
    except (MediaError, Refused, OSError) as error:
        fail(render_id, _sentence(error))


def _target(job: Job) -> Path:
    """What the parts are put together to: a file, or the folder of a pair."""
    form = job.order.planned.form
    return places.render_folder(job.render.id) / (job.render.name + ("" if form.content == "pair" else form.suffix))


def _handed_over(job: Job) -> Path:
    return places.render_folder(job.render.id) / f"{job.render.name}{job.order.planned.form.delivered_suffix}"


def _files(job: Job) -> list[Path]:
    return delivering.assembled(job.order.planned, places.render_folder(job.render.id), _target(job))


def _preview_part(render_id: int, position: int) -> Path:
    return places.render_folder(render_id) / f"preview-{position:05d}.webm"


def _plan_checks(job: Job) -> None:
    """Files of formats that cannot be entered in the middle are checked in one run."""
    frames = job.order.planned.timing.frames
    with session() as db:
        render = db.get_one(Render, job.render.id)
        runs = [(r.first, r.end) for r in render.ranges] if job.order.planned.form.joins else [(0, frames)]
        render.checks = [RenderCheck(position=k, first=first, end=end) for k, (first, end) in enumerate(runs)]


def mend(only: int | None = None) -> None:
    """Ask for all work that unfinished passes still lack; what is asked for already is left alone.

    A constant number of queries, however many ranges there are.
    """
    with session() as db:
        query = select(Render).where(Render.state.in_(ACTIVE)).order_by(Render.id)
        query = query.options(selectinload(Render.made_in).selectinload(RenderPass.ranges), selectinload(Render.checks))
        unfinished = list(db.scalars(query if only is None else query.where(Render.pass_id == only)))
    reading = [Asked(queue.READ, {"reading_id": n}) for n in (unread() if only is None else ())]
    # Renders of one pass want the same ranges.
    queue.ask_all(list({w.lock: w for w in (*reading, *(w for r in unfinished for w in _missing(r)))}.values()))


def _missing(render: Render) -> Iterator[Asked]:
    """The work that brings a render on from where it stands."""
    own = {"render_id": render.id}
    missing = [r.position for r in render.ranges if not r.done]
    if missing:
        for position in missing:
            yield Asked(queue.RANGE, {"pass_id": render.pass_id, "position": position}, render.place)
    elif render.state != "checking":
        yield Asked(queue.ASSEMBLE, own, render.place)
    elif unchecked := [c.position for c in render.checks if c.found is None]:
        for position in unchecked:
            yield Asked(queue.CHECK, own | {"position": position}, render.place)
    else:
        yield Asked(queue.FINISH, own, render.place)


def fail(render_id: int, problem: str, proof: Proof | None = None) -> None:
    """End a render with a sentence; one that has ended already, as by a cancel, stays as it is."""
    report = proof.model_dump(mode="json") if proof else None
    end(render_id, state="failed", problem=problem, proof=report)
    clear_away(render_id)


def fail_pass(pass_id: int, problem: str) -> None:
    """End all renders of a pass with a sentence."""
    with session() as db:
        going = list(db.scalars(select(Render.id).where(Render.pass_id == pass_id, Render.state.in_(ACTIVE))))
    for render_id in going:
        fail(render_id, problem)


def end(render_id: int, **values: object) -> bool:
    """End a render that is under way; False where it has ended already."""
    return _change(render_id, finished_at=now(), **values)


def clear_away(render_id: int) -> None:
    shutil.rmtree(places.render_folder(render_id), ignore_errors=True)


def sweep() -> None:
    """Clear away what renders that have ended, or were cut short while stocking, left on the disk."""
    # Listed before it is asked which of them are wanted: a folder made in between is not among them.
    renders, clips = places.render_folders(), places.clip_folders()
    with session() as db:
        going = set(db.scalars(select(Render.id).where(Render.state.in_(ACTIVE))))
        stocked = set(db.scalars(select(Clip.render_id)))
    for folder in renders:
        if int(folder.name) not in going:
            shutil.rmtree(folder, ignore_errors=True)
    for folder in clips:
        if int(folder.name.removesuffix(".part")) not in going | stocked:
            shutil.rmtree(folder, ignore_errors=True)


def now() -> datetime:
    return datetime.now(UTC)


def _job(render_id: int) -> Job:
    with session() as db:
        render = db.get_one(Render, render_id)
        footage = render.shot.footage
        recipe = recipe_at(db, render.shot_id, render.revision)
        delivery = read_delivery(render.delivery)
        ground = ground_of(db, delivery)
    making = making_of(footage, recipe)
    take = recipe.take.span(making.footage.facts.length)
    behind = source_of(ground) if ground else None
    return Job(render, footage.sha256, making, take, Order(plan(delivery, making.footage.facts, take), behind))


def _part_of(job: Job, position: int) -> Path:
    folder = places.render_folder(job.render.id)
    folder.mkdir(parents=True, exist_ok=True)
    return delivering.part_path(folder, position, job.order.planned.form)


def _stock(job: Job, home: Path, file: Path, proof: Proof) -> None:
    """Put a proved file into the stockroom: files first, the row that shows them last; all can be done again.

    What the render made stays where it is until the row is written, so that a worker or database that dies in
    between costs nothing but doing this once more.
    """
    clip_home = places.clip_folder(job.render.id)
    put_whole((file.with_name(file.name + ".json"), home / "preview.webm", file), clip_home)
    with session() as db:
        render = db.get_one(Render, job.render.id, with_for_update=True)
        if render.state != "checking":
            raise Stopped
        render.state, render.proof, render.finished_at = "done", proof.model_dump(mode="json"), now()
        db.add(
            Clip(
                render_id=render.id,
                name=render.name,
                file=file.name,
                bytes=(clip_home / file.name).stat().st_size,
                width=proof.width,
                height=proof.height,
                tags=[],
            )
        )
    clear_away(job.render.id)


def _clear_ended(render_ids: list[int]) -> None:
    with session() as db:
        going = set(db.scalars(select(Render.id).where(Render.id.in_(render_ids), Render.state.in_(ACTIVE))))
    for render_id in set(render_ids) - going:
        clear_away(render_id)


def _sentence(error: Exception) -> str:
    if isinstance(error, MediaError | Refused):
        return str(error)
    if isinstance(error, OSError) and error.errno == errno.ENOSPC:
        return "The disk is full. Make room, then start the render again."
    log.exception("a render could not be written")
    return "The files could not be written. See that the media folder can be written to, then start the render again."


def _progress(render_ids: list[int], pass_id: int, position: int, total: int) -> delivering.Progress:
    """Notes how far a range is; stops the work once any of its renders is called off."""
    told = 0.0

    def progress(done: int) -> None:
        nonlocal told
        if time.monotonic() - told < TELL and done < total:
            return
        told = time.monotonic()
        with session() as db:
            # One that was started over meanwhile belongs to another pass.
            here = Render.id.in_(render_ids), Render.pass_id == pass_id, Render.state == "running"
            if len(list(db.scalars(select(Render.id).where(*here)))) < len(render_ids):
                raise Stopped
            db.execute(
                update(RenderRange)
                .where(RenderRange.pass_id == pass_id, RenderRange.position == position)
                .values(frames_done=done)
            )

    return progress


def _noted(render_id: int, state: str, note: Callable[[int], Update]) -> delivering.Progress:
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


def _start(render_ids: list[int]) -> None:
    with session() as db:
        waiting = update(Render).where(Render.id.in_(render_ids), Render.started_at.is_(None))
        db.execute(waiting.values(started_at=now()))


def _go_on(render_id: int, state: str) -> None:
    """Go on to the next phase, or stop where the render was called off."""
    if not _change(render_id, state=state):
        raise Stopped


def _change(render_id: int, **values: object) -> bool:
    """Change a render that has not ended; False where it has."""
    with session() as db:
        query = update(Render).where(Render.id == render_id, Render.state.in_(ACTIVE)).returning(Render.id)
        return db.execute(query.values(**values)).first() is not None
