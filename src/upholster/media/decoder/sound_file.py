"""Files that hold sound and no moving pictures; the cover of a record is none."""

import math
from fractions import Fraction
from pathlib import Path
from typing import Any

import av

from upholster.media.decoder.planes import Planes
from upholster.media.errors import MediaError
from upholster.media.facts import Facts
from upholster.media.limits import FRAMES

#: Suffixes of files that are looked at as sound.
SUFFIXES = {".wav", ".mp3", ".flac", ".m4a", ".aac", ".ogg", ".oga", ".opus", ".aif", ".aiff", ".mka", ".wma"}
#: Frames a second that the length of a sound is counted in.
_RATE = Fraction(24)


class SoundFile:
    """A file of sound alone."""

    def __init__(self, path: Path) -> None:
        try:
            with av.open(str(path)) as container:
                if not container.streams.audio:
                    raise MediaError("There is neither sound nor a picture in this file.")
                track = container.streams.audio[0]
                seconds = _seconds(container, track)
                kind, codec = container.format.name.split(",")[0], track.codec_context.name
        except (av.FFmpegError, ValueError) as error:
            raise MediaError("This sound file is broken or of a kind Upholster cannot read.") from error
        length = max(1, math.ceil(seconds * _RATE - 1e-6))
        if length > FRAMES:
            raise MediaError("This sound is too long. Bring in a shorter piece.")
        self.facts = Facts(
            kind="sound", container=kind, codec=codec, sound=codec, width=0, height=0, length=length,
            rate=_RATE, depth=0,
        )  # fmt: skip

    def planes(self, frame: int) -> Planes:
        raise MediaError("This file holds sound alone.")


def _seconds(container: Any, track: Any) -> float:
    """How long a sound lasts: as it says, or where it does not, by its packets."""
    if track.duration is not None:
        return float(track.duration * track.time_base)
    end = 0.0
    for packet in container.demux(track):
        if packet.pts is not None:
            end = max(end, float((packet.pts + (packet.duration or 0)) * packet.time_base))
    return end


def is_sound(path: Path) -> bool:
    """Whether a file is to be read as sound alone."""
    return path.suffix.lower() in SUFFIXES
