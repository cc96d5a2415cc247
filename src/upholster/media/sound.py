"""What becomes of the sound of a source in a delivery: as long as the pictures, and in time with them."""

from fractions import Fraction
from typing import Annotated, NamedTuple

from pydantic import BaseModel, BeforeValidator, ConfigDict, PlainSerializer

from upholster.core.timemap import TimeMap

#: Percent of its speed between which sound keeps its pitch; beyond, it is nothing one would want to hear.
SLOWEST, FASTEST = 50, 200

#: Codec that sound is encoded with, by container, and the source's codecs that go in unchanged; None for any.
_CODECS: dict[str, tuple[str, frozenset[str] | None]] = {
    "mov": ("pcm_s24le", None),
    "mp4": ("aac", frozenset({"aac", "mp3", "ac3", "alac"})),
    "matroska": ("flac", None),
    "webm": ("libopus", frozenset({"opus", "vorbis"})),
}

Seconds = Annotated[Fraction, BeforeValidator(Fraction), PlainSerializer(str)]


class Sound(NamedTuple):
    """Sound to go beside pictures.

    Attributes
    ----------
    packed : bytes
        A file of the sound alone, in time with the first picture.
    encoder : str
        What it is encoded with for its container; empty where its packets go over as they are.
    """

    packed: bytes
    encoder: str = ""


class SoundWanted(BaseModel):
    """Sound to be made of a source's first track.

    Attributes
    ----------
    first, end : Fraction
        Seconds of the source, from its first picture.
    before, moving, after : Fraction
        Seconds of silence, of sound, and of silence that come out.
    copied : frozenset of str or None
        Codecs whose packets go over as they are, where nothing else is wanted; None for any.
    """

    model_config = ConfigDict(frozen=True)

    first: Seconds
    end: Seconds
    before: Seconds
    moving: Seconds
    after: Seconds
    backwards: bool
    whole: bool
    codec: str
    copied: frozenset[str] | None

    @property
    def tempo(self) -> Fraction:
        """How many times faster it runs."""
        return (self.end - self.first) / self.moving

    def unchanged(self, codec: str) -> bool:
        """Whether sound in `codec` can be handed over packet by packet."""
        fits = self.copied is None or codec in self.copied
        return fits and self.whole and not (self.backwards or self.before or self.after) and self.tempo == 1

    @property
    def anew(self) -> "SoundWanted":
        """The same, with every packet made anew."""
        return self.model_copy(update={"copied": frozenset()})

    def encoder(self, codec: str) -> str:
        """What sound in `codec` is encoded with; empty where it is handed over packet by packet."""
        return "" if self.unchanged(codec) else self.codec


def as_it_sounds(seconds: Fraction) -> SoundWanted:
    """The sound of a finished file, as long as its pictures last."""
    return SoundWanted(
        first=Fraction(0), end=seconds, before=Fraction(0), moving=seconds, after=Fraction(0),
        backwards=False, whole=True, codec="", copied=frozenset(),
    )  # fmt: skip


def as_shot(span: range, rate: Fraction) -> SoundWanted:
    """The sound of frames of a source at `rate` a second, at their own speed."""
    first, end = span.start / rate, span.stop / rate
    return SoundWanted(
        first=first, end=end, before=Fraction(0), moving=end - first, after=Fraction(0),
        backwards=False, whole=False, codec=_CODECS["mov"][0], copied=frozenset(),
    )  # fmt: skip


def sound_wanted(times: TimeMap, source: Fraction, length: int, container: str) -> SoundWanted:
    """The sound that goes with a time map of footage of `length` frames at `source` a second, for a container."""
    codec, copied = _CODECS[container]
    first, moving = times.span.start / source, len(times.moving) / times.rate
    # As much of the source as the pictures show; where the last one is cut short, so is the sound.
    end = first + moving * times.step * times.rate / source
    return SoundWanted(
        first=first,
        end=end,
        before=times.before / times.rate,
        moving=moving,
        after=times.after / times.rate,
        backwards=times.backwards,
        whole=len(times.span) == length,
        codec=codec,
        copied=copied,
    )
