"""What can be said of a delivery before it is made: its cost, and whether its flat colour is safe."""

from collections.abc import Sequence
from functools import lru_cache
from typing import NamedTuple

from upholster.core.colour import luma_weights
from upholster.core.delivery.flat_colour import presence, propose_flat
from upholster.core.documents.recipe import Recipe
from upholster.media.delivery import Delivery, as_hex, hex_colour, plan
from upholster.store.models import Footage
from upholster.studio.footage.bring_in import get_footage, ground_of
from upholster.studio.making.fitting import FitJob
from upholster.studio.making.flat import Plane, subject_of
from upholster.studio.making.keying import Job
from upholster.studio.making.orders import Order, Progress, silent
from upholster.studio.renders.estimate import Estimate, estimate, together
from upholster.studio.shots.screens import key_job_of

#: Brightness within which a flat colour keys out well at the other end (common practice, no source).
_DARKEST, _LIGHTEST = 0.12, 0.85
#: Share of the subject that may come near a flat colour before it is warned of.
_PRESENT = 0.002


class Flat(NamedTuple):
    """A flat colour, whether it is fit for its subject, and why not."""

    colour: str
    fit: bool
    words: str


def quote(jobs: Sequence[tuple[Job, Delivery]], progress: Progress = silent) -> Estimate:
    """Size and time of deliveries of something, from a few frames of each; `progress` may raise to stop."""
    return together([_quote(job, delivery, progress) for job, delivery in jobs])


def quote_shot(
    footage: Footage, recipe: Recipe, deliveries: Sequence[Delivery], progress: Progress = silent
) -> Estimate:
    """Size and time of deliveries of a shot."""
    job = key_job_of(footage, recipe)
    return quote([(job, _with_flat(footage, recipe, delivery)) for delivery in deliveries], progress)


def _quote(job: Job, delivery: Delivery, progress: Progress) -> Estimate:
    planned = plan(delivery, job.footage.facts, job.recipe.take)
    ground = None if isinstance(job, FitJob) else ground_of(delivery)
    return estimate(job, Order(planned, ground), progress)


def _with_flat(footage: Footage, recipe: Recipe, delivery: Delivery) -> Delivery:
    if delivery.form.content != "flat" or delivery.colour:
        return delivery
    return delivery.model_copy(update={"colour": flat(footage, recipe, None).colour})


def flat(footage: Footage, recipe: Recipe, colour: str | None) -> Flat:
    """A flat colour looked at, or the one proposed where none is given."""
    subject = _subject(footage.id, recipe)
    if colour is None:
        colour = as_hex(propose_flat(subject))
    r, g, b = (float(c) for c in hex_colour(colour).ravel())
    near = presence((r, g, b), subject)
    luma = sum(weight * part for weight, part in zip(luma_weights("bt709"), (r, g, b), strict=True))
    if near.share > _PRESENT:
        return Flat(colour, False, f"{near.share:.1%} of the subject comes near this colour and would be keyed out.")
    if luma < _DARKEST or luma > _LIGHTEST:
        return Flat(colour, False, f"This colour is too {'dark' if luma < _DARKEST else 'light'} to key out cleanly.")
    return Flat(colour, True, "Nothing in the subject comes near this colour.")


@lru_cache(maxsize=16)
def _subject(footage_id: int, recipe: Recipe) -> Plane:
    return subject_of(key_job_of(get_footage(footage_id), recipe))
