"""What a render is made of: a shot, or a fitting with all the shots in it."""

from pathlib import Path
from typing import NamedTuple

from upholster.core.documents.fitting import Fitting
from upholster.core.documents.recipe import Recipe
from upholster.media.delivery import Delivery, Plan
from upholster.media.proof import Proof
from upholster.store.models import Render, Shot
from upholster.store.session import session
from upholster.studio.errors import Missing
from upholster.studio.fittings import fittings, sources
from upholster.studio.fittings.sources import LiveShot
from upholster.studio.footage.bring_in import ground_of
from upholster.studio.making.keying import Footage, Job
from upholster.studio.making.sidecar import Source, write_fitting_sidecar, write_sidecar
from upholster.studio.shots.revisions import recipe_at
from upholster.studio.shots.screens import key_job_of


class MadeOf(NamedTuple):
    """Pictures to deliver, with what they come from.

    Attributes
    ----------
    job : Job
        Makes the pictures.
    shots : tuple of LiveShot
        The shots whose recipes are used, with the revision of each.
    document : Recipe or Fitting
    """

    job: Job
    shots: tuple[LiveShot, ...]
    document: Recipe | Fitting

    def ground(self, delivery: Delivery) -> Footage | None:
        """The footage behind it in a delivery without alpha; a fitting brings its own."""
        return None if isinstance(self.document, Fitting) else ground_of(delivery)

    def write_sidecar(self, path: Path, revision: int, planned: Plan, proof: Proof) -> None:
        if isinstance(self.document, Fitting):
            write_fitting_sidecar(path, fitting=self.document, revision=revision, planned=planned, proof=proof)
            return
        (live,) = self.shots
        source = Source(live.footage.name, live.footage.sha256, self.job.footage.facts)
        write_sidecar(path, recipe=self.document, revision=revision, source=source, planned=planned, proof=proof)


def made_of_shot(shot_id: int, revision: int) -> MadeOf:
    with session() as db:
        shot = db.get(Shot, shot_id)
        if shot is None:
            raise Missing("This shot is not here any more.")
        recipe, footage = recipe_at(db, shot_id, revision), shot.footage
    return MadeOf(key_job_of(footage, recipe), (LiveShot(shot, footage, recipe, revision),), recipe)


def made_of_fitting(document: Fitting, delivery: Delivery, pinned: dict[str, int] | None = None) -> MadeOf:
    """A fitting, over its ground where the format holds no alpha."""
    over = delivery.form.content == "over"
    job = sources.job_of(document, pinned, over_ground=over)
    return MadeOf(job, tuple(sources.live_shots(document, pinned)), document)


def made_of_render(render: Render, delivery: Delivery) -> MadeOf:
    """What a render was ordered from."""
    if render.fitting_id is not None:
        document = fittings.document_at(render.fitting_id, render.revision)
        return made_of_fitting(document, delivery, render.pinned)
    assert render.shot_id is not None
    return made_of_shot(render.shot_id, render.revision)
