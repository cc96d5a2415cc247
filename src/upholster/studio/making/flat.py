"""The flat colour of a delivery: one the subject does not contain."""

from contextlib import closing

import numpy as np
from numpy.typing import NDArray

from upholster.core.delivery.flat_colour import Colour, propose_flat, subject_pixels
from upholster.media.delivery import Delivery, as_hex
from upholster.studio.making.keying import Job

Plane = NDArray[np.float32]

#: Frames that a subject's colours are gathered from.
_LOOKED_AT = 6


def settled(delivery: Delivery, job: Job) -> Delivery:
    """The delivery with what it leaves open chosen: a flat colour the subject does not contain."""
    if delivery.form.content != "flat" or delivery.colour:
        return delivery
    return delivery.model_copy(update={"colour": as_hex(flat_colour(job))})


def flat_colour(job: Job) -> Colour:
    """The flat colour proposed for a shot."""
    return propose_flat(subject_of(job))


def subject_of(job: Job) -> Plane:
    """Colours ``(3, n)`` of the solid subject, from a few frames spread over the take."""
    span = job.recipe.take.span(job.footage.facts.length)
    with closing(job.frames(span[:: max(1, len(span) // _LOOKED_AT)])) as frames:
        return subject_pixels((frame.rgb, frame.alpha) for frame in frames)
