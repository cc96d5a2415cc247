"""Measuring, from files alone, what a finish needs to know of a subject and of a ground."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from upholster.core.documents.recipe import Finish
from upholster.media.decoder.reader import Reader
from upholster.studio.making.keying import Footage, KeyJob, keyed_frames

Plane = NDArray[np.float32]

#: Frames of a shot, and pictures of a ground, that are looked at.
_SUBJECT, _GROUND = 5, 3


def spread(frames: range, count: int = _SUBJECT) -> list[int]:
    """So many frames spread over a span, not its very ends."""
    count = min(count, len(frames))
    return [frames[(2 * k + 1) * len(frames) // (2 * count)] for k in range(count)]


def subject_pictures(job: KeyJob, finish: Finish) -> list[tuple[Plane, Plane]]:
    """Some frames of the take, keyed and finished so: straight colour and coverage."""
    take, last = job.recipe.take, job.footage.facts.length - 1
    span = range(min(take.first, last), min(last if take.last is None else take.last, last) + 1)
    looked = job._replace(recipe=job.recipe.model_copy(update={"finish": finish}))
    return [(frame.rgb, frame.alpha) for frame in keyed_frames(looked, spread(span))]


def ground_pictures(ground: Footage, count: int = _GROUND) -> Sequence[Plane]:
    """Some pictures of a ground, as they are."""
    with Reader(*ground) as reader:
        return [reader.frame(n).rgb for n in spread(range(ground.facts.length), count)]
