"""What is heard of a shot on the Bench."""

from upholster.core.documents.recipe import Recipe
from upholster.media.delivery import too_odd
from upholster.media.mixing import Samples, unpacked
from upholster.media.sound import as_shot, sound_wanted
from upholster.store.models import Footage
from upholster.studio.footage.bring_in import source_of
from upholster.studio.looking.look import times_of
from upholster.studio.making.keying import KeyJob

#: Seconds that a window is sent at most.
_LONGEST = 5 * 60


def heard(footage: Footage, recipe: Recipe, *, taken: bool) -> Samples | None:
    """The sound of a take, ``(2, n)`` at 48 kHz, as long as its frames: as it is delivered, or as it was shot.

    None where there is none, where it runs too slow or fast to be heard, or is longer than five minutes.
    """
    source, times = source_of(footage), times_of(footage, recipe)
    facts = source.facts
    wanted = sound_wanted(times, facts.rate, facts.length, "mov").anew if taken else as_shot(times.span, facts.rate)
    if (taken and too_odd(recipe.take.speed)) or wanted.before + wanted.moving + wanted.after > _LONGEST:
        return None
    packed = KeyJob(source, recipe, None).sound(wanted)
    return unpacked(packed) if packed else None
