"""The sound of a layer of a fitting, in its own time."""

import numpy as np

from upholster.core.documents.fitting import Fitting
from upholster.core.sound.mix import Samples
from upholster.core.timemap import time_map
from upholster.media.delivery import too_odd
from upholster.media.mixing import unpacked
from upholster.media.sound import sound_wanted
from upholster.studio.making.keying import Job


def heard(job: Job, mark: str, fitting: Fitting) -> Samples:
    """The sound of a layer in its own time, ``(2, n)``: at its speed, in its direction; silence at odd speeds."""
    layer, facts = fitting.layers.each[mark], job.footage.facts
    if too_odd(layer.speed):
        return np.zeros((2, 0), np.float32)
    times = time_map(layer, facts.length, facts.rate, fitting.frame.rate)
    found = job.sound(sound_wanted(times, facts.rate, facts.length, "mov").anew)
    return unpacked(found) if found else np.zeros((2, 0), np.float32)
