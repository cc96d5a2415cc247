"""What a worker needs to know of a render, and where its files lie."""

from pathlib import Path
from typing import NamedTuple

from upholster.media.delivery import plan, read_delivery
from upholster.store.models import Footage, Render
from upholster.store.session import session
from upholster.studio import paths
from upholster.studio.footage.bring_in import ground_of
from upholster.studio.making import delivering
from upholster.studio.making.delivering import Order
from upholster.studio.making.keying import KeyJob
from upholster.studio.renders.traced import has_to_wait
from upholster.studio.shots.revisions import recipe_at
from upholster.studio.shots.screens import key_job_of


class Job(NamedTuple):
    """A render with all that making it takes."""

    render: Render
    footage: Footage
    key_job: KeyJob
    order: Order

    @property
    def has_to_wait(self) -> bool:
        """Whether mattes of its traces are still being made."""
        return has_to_wait(self.footage, self.render.shot_id, self.key_job.recipe)

    @property
    def folder(self) -> Path:
        """Where its files grow."""
        return paths.render_folder(self.render.id)

    @property
    def target(self) -> Path:
        """What the parts are put together to: a file, or the folder of a pair."""
        form = self.order.planned.form
        return self.folder / (self.render.name + ("" if form.content == "pair" else form.suffix))

    @property
    def delivered(self) -> Path:
        """The one file that is handed over."""
        return self.folder / f"{self.render.name}{self.order.planned.form.delivered_suffix}"

    @property
    def files(self) -> list[Path]:
        """The files that are proved."""
        return delivering.assembled(self.order.planned, self.folder, self.target)

    def part(self, position: int) -> Path:
        return delivering.part_path(self.folder, position, self.order.planned.form)

    def records(self, position: int) -> Path:
        return delivering.records_path(self.folder, position)

    def preview(self, position: int) -> Path:
        return self.folder / f"preview-{position:05d}.webm"


def job_of(render_id: int) -> Job:
    """A render as it was ordered."""
    with session() as db:
        render = db.get_one(Render, render_id)
        footage = render.shot.footage
        recipe = recipe_at(db, render.shot_id, render.revision)
        delivery = read_delivery(render.delivery)
    key_job = key_job_of(footage, recipe)
    order = Order(plan(delivery, key_job.footage.facts, recipe.take), ground_of(delivery))
    return Job(render, footage, key_job, order)
