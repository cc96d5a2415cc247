"""What a render is made of: a shot, a fitting with all the shots in it, or the file of a clip."""

from pathlib import Path
from typing import NamedTuple

from upholster.core.documents.fitting import Fitting
from upholster.core.documents.recipe import Recipe
from upholster.media.delivery import Delivery, Plan
from upholster.media.proof import Proof
from upholster.store.models import Clip, Render, Shot
from upholster.store.session import session
from upholster.studio.errors import Missing
from upholster.studio.fittings import fittings, sources
from upholster.studio.fittings.sources import LiveShot
from upholster.studio.footage.bring_in import ground_of
from upholster.studio.making.keying import Footage, Job
from upholster.studio.making.layer_footage import unkeyed
from upholster.studio.making.sidecar import Source, write_clip_sidecar, write_fitting_sidecar, write_sidecar
from upholster.studio.shots.revisions import recipe_at
from upholster.studio.shots.screens import key_job_of
from upholster.studio.stock import stock


class MadeOf(NamedTuple):
    """Pictures to deliver, with what they come from.

    Attributes
    ----------
    job : Job
        Makes the pictures.
    shots : tuple of LiveShot
        The shots whose recipes are used, with the revision of each.
    document : Recipe, Fitting or Clip
        A clip where the pictures are those of its file.
    """

    job: Job
    shots: tuple[LiveShot, ...]
    document: Recipe | Fitting | Clip

    def ground(self, delivery: Delivery) -> Footage | None:
        """The footage behind it in a delivery without alpha; a fitting brings its own."""
        return None if isinstance(self.document, Fitting) else ground_of(delivery)

    @property
    def kind_of_ground(self) -> str:
        """What its subject was shot before, as clips have it."""
        match self.document:
            case Fitting():
                return "fitting"
            case Clip():
                return self.document.ground
        return self.document.screen.kind

    def write_sidecar(self, path: Path, revision: int, planned: Plan, proof: Proof) -> None:
        if isinstance(self.document, Fitting):
            write_fitting_sidecar(path, fitting=self.document, revision=revision, planned=planned, proof=proof)
            return
        if isinstance(self.document, Clip):
            before = stock.file_of(self.document, "sidecar")
            write_clip_sidecar(path, clip=self.document.name, before=before, planned=planned, proof=proof)
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


def layers_of(document: Fitting, layer: str) -> Fitting:
    """A fitting, or the one layer of it that is wanted."""
    return document.alone(layer) if layer else document


def made_of_fitting(document: Fitting, delivery: Delivery, pinned: dict[str, int] | None = None) -> MadeOf:
    """A fitting, over its ground where the format holds no alpha."""
    over = delivery.form.content == "over"
    job = sources.job_of(document, pinned, over_ground=over)
    return MadeOf(job, tuple(sources.live_shots(document, pinned)), document)


def made_of_clip(clip_id: int) -> MadeOf:
    """A clip, from its own file."""
    clip = stock.get_clip(clip_id)
    return MadeOf(unkeyed(sources.files_of(clip)), (), clip)


def made_of_render(render: Render, delivery: Delivery) -> MadeOf:
    """What a render was ordered from."""
    if render.clip_id is not None:
        return made_of_clip(render.clip_id)
    if render.fitting_id is not None:
        document = layers_of(fittings.document_at(render.fitting_id, render.revision), render.layer)
        return made_of_fitting(document, delivery, render.pinned)
    if render.shot_id is None:
        raise Missing("The clip this was to be made from is not here any more.")
    return made_of_shot(render.shot_id, render.revision)
