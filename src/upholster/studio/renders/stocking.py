"""Putting a proved file into the stockroom."""

from pathlib import Path

from upholster.media import preview
from upholster.media.encoder.join import join_movies
from upholster.media.files import put_whole
from upholster.media.proof import Proof, judged
from upholster.store.models import Clip, Render
from upholster.store.session import session
from upholster.store.states import RenderState
from upholster.studio import paths
from upholster.studio.making.orders import Stopped
from upholster.studio.renders.made_of import MadeOf
from upholster.studio.renders.plan import Job, job_of
from upholster.studio.renders.states import clear_away, ended_with_a_sentence, fail_proof, now


def finish(render_id: int) -> None:
    """Judge the proof of a render and put its file into the stockroom."""
    with session() as db:
        render = db.get(Render, render_id)
        if render is None or render.state != RenderState.CHECKING or any(c.found is None for c in render.checks):
            return
        runs = [Proof.model_validate(c.found) for c in render.checks]
        count = len(render.ranges)
    with ended_with_a_sentence(render_id):
        job = job_of(render_id)
        proof = judged(runs, job.order.planned)
        if not proof.passed:
            fail_proof(render_id, proof)
            return
        _stock(job, proof, _beside(job, proof, count))


def _tags(made_of: MadeOf) -> list[str]:
    """A clip in another format has the tags of the one it was made from."""
    return list(made_of.document.tags) if isinstance(made_of.document, Clip) else []


def _beside(job: Job, proof: Proof, count: int) -> list[Path]:
    """What goes along with a file: the JSON that says what it is, and the small moving picture for lists."""
    sidecar, moving = job.delivered.with_name(job.delivered.name + ".json"), job.folder / "preview.webm"
    job.made_of.write_sidecar(sidecar, job.render.revision, job.order.planned, proof)
    parts = [path for position in range(count) if (path := job.preview(position)).exists()]
    join_movies(preview.FORMAT, parts, moving, job.order.planned.timing.rate)
    return [sidecar, moving]


def _stock(job: Job, proof: Proof, beside: list[Path]) -> None:
    """Files first, the row that shows them last; all of it can be done again.

    What the render made stays where it is until the row is written, so that a worker or database that dies in
    between costs nothing but doing this once more.
    """
    home, planned = paths.clip_folder(job.render.id), job.order.planned
    put_whole([*beside, job.delivered], home)
    with session() as db:
        render = db.get_one(Render, job.render.id, with_for_update=True)
        if render.state != RenderState.CHECKING:
            raise Stopped
        render.state, render.proof, render.finished_at = RenderState.DONE, proof.model_dump(mode="json"), now()
        db.add(
            Clip(
                render_id=render.id,
                name=render.name,
                file=job.delivered.name,
                bytes=(home / job.delivered.name).stat().st_size,
                width=proof.width,
                height=proof.height,
                frames=proof.frames,
                rate=str(planned.timing.rate),
                seconds=float(proof.frames / planned.timing.rate),
                alpha=planned.delivery.alpha if planned.form.alpha_depth else "",
                ground=job.made_of.kind_of_ground,
                sound=planned.sound is not None,
                format=planned.form.name,
                tags=_tags(job.made_of),
            )
        )
    clear_away(job.render.id)
