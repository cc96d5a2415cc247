"""A shot in its own time: keyed frames as the time map has them, and the sound that goes with them."""

from collections.abc import Generator, Sequence
from contextlib import closing
from pathlib import Path

from upholster.core.retime import between, pair_of
from upholster.core.timemap import TimeMap
from upholster.media.compare_sound import sound_apart
from upholster.media.decoder.reader import Reader
from upholster.media.delivery import Plan
from upholster.media.sound import Sound, as_it_sounds
from upholster.studio.making.keying import Job, KeyedFrame


def retimed_frames(job: Job, times: TimeMap, numbers: Sequence[int]) -> Generator[KeyedFrame]:
    """Output frames `numbers`, in rising order, as they are shown and delivered; each source frame is keyed once."""
    wanted = times.needed(numbers)
    if times.backwards:
        wanted.reverse()
    with closing(job.frames(wanted)) as frames:
        coming = zip(wanted, frames, strict=True)
        held: dict[int, KeyedFrame] = {}
        paired, pair = (-1, -1), None
        for number in numbers:
            mix = times.mix(number)
            shown = {mix.first, mix.second}
            while not shown <= held.keys():
                at, frame = next(coming)
                held[at] = frame
            # What lies behind in the direction of play is not wanted any more.
            held = {n: frame for n, frame in held.items() if (n <= mix.second if times.backwards else n >= mix.first)}
            if not mix.weight:
                yield held[mix.first]
                continue
            one, two = held[mix.first], held[mix.second]
            # Slow motion makes several pictures between the same two.
            if pair is None or paired != (mix.first, mix.second):
                paired, pair = (mix.first, mix.second), pair_of(one[:2], two[:2], times.between)
            yield KeyedFrame(*between(pair, mix.weight), one.damaged or two.damaged)


def retimed_sound(job: Job, planned: Plan) -> Sound | None:
    """The sound of a delivery, as long as its pictures; None without any."""
    if planned.sound is None:
        return None
    packed = job.sound(planned.sound)
    return Sound(packed, planned.sound.encoder(job.footage.facts.sound)) if packed else None


def wrong_sound(job: Job, planned: Plan, path: Path) -> str:
    """What is wrong with the sound of a finished file; empty where nothing is, or none was wanted."""
    if planned.sound is None:
        return ""
    expected = job.sound(planned.sound.anew)
    with Reader([path]) as made:
        seconds = planned.timing.frames / planned.timing.rate
        return sound_apart(expected, made.sound(as_it_sounds(seconds))) if expected else ""
