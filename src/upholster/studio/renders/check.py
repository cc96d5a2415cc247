"""Proving what could not be proved beside its making."""

from contextlib import closing

from sqlalchemy import update

from upholster.media.compare import compare
from upholster.media.proof import Proof
from upholster.store.models import Render, RenderCheck
from upholster.store.session import session
from upholster.store.states import RenderState
from upholster.studio.making.orders import Progress
from upholster.studio.making.proving import handed_over, prove_whole
from upholster.studio.renders.missing import enqueue_missing
from upholster.studio.renders.plan import Job, job_of
from upholster.studio.renders.states import ended_with_a_sentence, noted


def check(render_id: int, position: int) -> None:
    """Prove one run of a finished file, unless it is proved already."""
    with session() as db:
        render, run = db.get(Render, render_id), db.get(RenderCheck, (render_id, position))
        count = len(render.ranges) if render else 0
    if render is None or run is None or render.state != RenderState.CHECKING:
        return
    if run.found is None:
        here = RenderCheck.render_id == render_id, RenderCheck.position == position
        with ended_with_a_sentence(render_id):
            job = job_of(render_id)
            found = _proved(
                job,
                count,
                range(run.first, run.end),
                noted(render_id, "checking", lambda done: update(RenderCheck).where(*here).values(frames_done=done)),
            )
            with session() as db:
                row = db.get_one(RenderCheck, (render_id, position))
                row.found, row.frames_done = found.model_dump(mode="json"), run.end - run.first
    enqueue_missing(render.pass_id)


def _proved(job: Job, count: int, numbers: range, progress: Progress) -> Proof:
    records = [job.records(position) for position in range(count)]
    if all(path.exists() for path in records):
        return prove_whole(job.order, job.files, records, progress)
    # Begun by a release that kept no records: keyed once more.
    with closing(handed_over(job.source, job.order, numbers)) as expected:
        return compare(job.files, job.order.planned, expected, numbers)
