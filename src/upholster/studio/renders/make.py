"""Making a range: keyed, written and, where its part goes into the file as it is, proved at once."""

import time

from sqlalchemy import select, update
from sqlalchemy.dialects.postgresql import insert

from upholster.media.errors import MediaError
from upholster.media.proof import Proof
from upholster.store.models import Render, RenderCheck, RenderRange
from upholster.store.session import session
from upholster.store.states import RenderState
from upholster.studio.errors import Refused
from upholster.studio.making.orders import Progress, Stopped
from upholster.studio.making.parts import Part, write_part
from upholster.studio.making.proving import prove_part
from upholster.studio.renders.missing import enqueue_missing
from upholster.studio.renders.plan import Job, job_of
from upholster.studio.renders.states import ACTIVE, TELL, clear_away, fail_pass, fail_proof, sentence, start


def make_range(pass_id: int, position: int) -> None:
    """Make one range of a pass for all of its renders that are under way, unless it is made already."""
    with session() as db:
        part = db.get(RenderRange, (pass_id, position))
        running = list(
            db.scalars(select(Render.id).where(Render.pass_id == pass_id, Render.state == RenderState.RUNNING))
        )
    if part is None or not running:
        return
    if not part.done:
        try:
            jobs = [job_of(render_id) for render_id in running]
            if any(job.has_to_wait for job in jobs):
                return
            start(running)
            found = _make(jobs, part)
        except Stopped:
            # One was called off: what is left of the pass goes on without it.
            _clear_ended(running)
            make_range(pass_id, position)
            return
        except (MediaError, Refused, OSError) as error:
            fail_pass(pass_id, sentence(error))
            return
        _note_done(part, found)
        for render_id, proof in found.items():
            if proof and not proof.passed:
                fail_proof(render_id, proof)
    enqueue_missing(pass_id)


def _make(jobs: list[Job], part: RenderRange) -> dict[int, Proof | None]:
    """Write a range of all renders of a pass, and prove it where that can be; proofs by render."""
    numbers = range(part.first, part.end)
    for job in jobs:
        job.folder.mkdir(parents=True, exist_ok=True)
    parts = [Part(job.order, job.part(part.position), job.preview(part.position)) for job in jobs]
    progress = _progress([job.render.id for job in jobs], part)
    written = write_part(jobs[0].source, parts, numbers, progress=progress)
    found: dict[int, Proof | None] = {}
    for job, each, records in zip(jobs, parts, written, strict=True):
        keep = job.records(part.position)
        found[job.render.id] = prove_part(job.order, each.path, numbers, records, keep)
        progress(len(numbers))
    return found


def _note_done(part: RenderRange, found: dict[int, Proof | None]) -> None:
    """Note a range as made, with what its proofs found; again, if it is made again."""
    with session() as db:
        row = db.get_one(RenderRange, (part.pass_id, part.position))
        row.done, row.frames_done = True, part.end - part.first
        here = {"position": part.position, "first": part.first, "end": part.end, "frames_done": part.end - part.first}
        proofs = [{**here, "render_id": n, "found": p.model_dump(mode="json")} for n, p in found.items() if p]
        if proofs:
            rows = insert(RenderCheck).values(proofs)
            same = ["render_id", "position"]
            db.execute(rows.on_conflict_do_update(index_elements=same, set_={"found": rows.excluded.found}))


def _clear_ended(render_ids: list[int]) -> None:
    with session() as db:
        going = set(db.scalars(select(Render.id).where(Render.id.in_(render_ids), Render.state.in_(ACTIVE))))
    for render_id in set(render_ids) - going:
        clear_away(render_id)


def _progress(render_ids: list[int], part: RenderRange) -> Progress:
    """Notes how far a range is; stops the work once any of its renders is called off."""
    told = 0.0
    total = part.end - part.first

    def progress(done: int) -> None:
        nonlocal told
        if time.monotonic() - told < TELL and done < total:
            return
        told = time.monotonic()
        with session() as db:
            # One that was started over meanwhile belongs to another pass.
            here = Render.id.in_(render_ids), Render.pass_id == part.pass_id, Render.state == RenderState.RUNNING
            if len(list(db.scalars(select(Render.id).where(*here)))) < len(render_ids):
                raise Stopped
            db.execute(
                update(RenderRange)
                .where(RenderRange.pass_id == part.pass_id, RenderRange.position == part.position)
                .values(frames_done=done)
            )

    return progress
