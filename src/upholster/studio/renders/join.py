"""Putting the parts of a render together into the file to hand over."""

from sqlalchemy import update

from upholster.media.proof import failed
from upholster.store.models import Render, RenderCheck
from upholster.store.session import session
from upholster.store.states import RenderState
from upholster.studio.making import assembling
from upholster.studio.making.proving import proves_parts, wrongly_joined
from upholster.studio.renders.missing import enqueue_missing
from upholster.studio.renders.plan import Job, job_of
from upholster.studio.renders.states import ended_with_a_sentence, fail_proof, go_on, noted


def assemble(render_id: int) -> None:
    """Put the ranges of a render together, and see that nothing of them got lost on the way."""
    with session() as db:
        render = db.get(Render, render_id)
        if (
            render is None
            or render.state not in (RenderState.RUNNING, RenderState.ENCODING)
            or not all(r.done for r in render.ranges)
        ):
            return
        count = len(render.ranges)
    with ended_with_a_sentence(render_id):
        job = job_of(render_id)
        planned = job.order.planned
        go_on(render_id, "encoding")
        here = update(Render).where(Render.id == render_id)
        progress = noted(render_id, "encoding", lambda done: here.values(frames_encoded=done))
        files = assembling.assemble(job.source, planned, job.folder, count, job.target, progress=progress)
        if reason := wrongly_joined(job.source, planned, job.folder, count, files):
            fail_proof(render_id, failed(planned, reason))
            return
        if planned.form.delivered_suffix == ".zip":
            assembling.pack(planned, files, job.render.name, job.delivered)
        _plan_checks(job)
        go_on(render_id, "checking")
        enqueue_missing(job.render.pass_id)


def _plan_checks(job: Job) -> None:
    """Ask for the checks that were not made beside the ranges.

    Files that are encoded from their parts are checked whole. So are the ranges of a render that was begun by a
    release that checked them later.
    """
    planned = job.order.planned
    with session() as db:
        render = db.get_one(Render, job.render.id)
        checked = {check.position for check in render.checks}
        ranges = [(r.first, r.end) for r in render.ranges]
        runs = ranges if proves_parts(planned.form) else [(0, planned.timing.frames)]
        render.checks += [
            RenderCheck(position=k, first=first, end=end, frames_done=0)
            for k, (first, end) in enumerate(runs)
            if k not in checked
        ]
