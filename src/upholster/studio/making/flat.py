"""The flat colour of a delivery: one the subject does not contain."""

from contextlib import closing

import numpy as np
from numpy.typing import NDArray

from upholster.core.delivery.flat_colour import Colour, propose_flat, subject_pixels
from upholster.media.delivery import Delivery, as_hex
from upholster.studio.making.keying import KeyJob, keyed_frames

Plane = NDArray[np.float32]

#: Frames that a subject's colours are gathered from.
_LOOKED_AT = 6


def settled(delivery: Delivery, key_job: KeyJob) -> Delivery:
    """The delivery with what it leaves open chosen: a flat colour the subject does not contain."""
    if delivery.form.content != "flat" or delivery.colour:
        return delivery
    return delivery.model_copy(update={"colour": as_hex(flat_colour(key_job))})


def flat_colour(key_job: KeyJob) -> Colour:
    """The flat colour proposed for a shot."""
    return propose_flat(subject_of(key_job))


def subject_of(key_job: KeyJob) -> Plane:
    """Colours ``(3, n)`` of the solid subject, from a few frames spread over the take."""
    span = key_job.recipe.take.span(key_job.footage.facts.length)
    with closing(keyed_frames(key_job, span[:: max(1, len(span) // _LOOKED_AT)])) as frames:
        return subject_pixels((frame.rgb, frame.alpha) for frame in frames)
