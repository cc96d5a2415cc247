"""What a worker needs to know of a render, and where its files lie."""

from pathlib import Path
from typing import NamedTuple

from upholster.media.delivery import plan, read_delivery
from upholster.store.models import Render
from upholster.store.session import session
from upholster.studio import paths
from upholster.studio.making import keying
from upholster.studio.making.assembling import assembled
from upholster.studio.making.orders import Order
from upholster.studio.making.parts import part_path, records_path
from upholster.studio.renders.made_of import MadeOf, made_of_render
from upholster.studio.renders.traced import has_to_wait


class Job(NamedTuple):
    """A render with all that making it takes."""

    render: Render
    made_of: MadeOf
    order: Order

    @property
    def source(self) -> keying.Job:
        """What its pictures come from."""
        return self.made_of.job

    @property
    def has_to_wait(self) -> bool:
        """Whether mattes of its traces are still being made."""
        return any(has_to_wait(live.footage, live.shot.id, live.recipe) for live in self.made_of.shots)

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
        return assembled(self.order.planned, self.folder, self.target)

    def part(self, position: int) -> Path:
        return part_path(self.folder, position, self.order.planned.form)

    def records(self, position: int) -> Path:
        return records_path(self.folder, position)

    def preview(self, position: int) -> Path:
        return self.folder / f"preview-{position:05d}.webm"


def job_of(render_id: int) -> Job:
    """A render as it was ordered."""
    with session() as db:
        render = db.get_one(Render, render_id)
        delivery = read_delivery(render.delivery)
    made_of = made_of_render(render, delivery)
    planned = plan(delivery, made_of.job.footage.facts, made_of.job.recipe.take)
    return Job(render, made_of, Order(planned, made_of.ground(delivery)))
