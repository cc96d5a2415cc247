"""Animated WebP and AVIF, whose alpha FFmpeg's libraries cannot read, through Pillow."""

from fractions import Fraction
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PIL import Image, UnidentifiedImageError

from upholster.media.decoder.planes import Planes
from upholster.media.decoder.stills import RATE
from upholster.media.decoder.stream_facts import RATES
from upholster.media.errors import MediaError
from upholster.media.facts import FASTEST, SLOWEST, ColourTags, Facts
from upholster.media.limits import FRAMES, PIXELS


def kind_of(path: Path) -> str:
    """``webp`` for one with several pictures, ``avif``, or empty for what is neither.

    RFC 9649, section 2.7: the ANIM flag; AV1 Image File Format 1.1.0, section 6: the brands.
    """
    with path.open("rb") as file:
        head = file.read(21)
    if head[:4] == b"RIFF" and head[8:16] == b"WEBPVP8X" and head[20] & 2:
        return "webp"
    return "avif" if head[4:12] in (b"ftypavif", b"ftypavis") else ""


_TOO_MANY = f"This animation holds more than {FRAMES:,} pictures. Bring in a shorter one."


def _rate(count: int, milliseconds: int) -> Fraction:
    """The usual rate whose frames end on the same millisecond, a whole one if need be; or the mean one."""
    usual = [rate for rate in RATES if abs(1000 * count / rate - milliseconds) <= 1]
    mean = Fraction(1000 * count, max(1, milliseconds))
    return min(usual, key=lambda rate: (rate.denominator, abs(rate - mean)), default=mean)


def _even_rate(ends: NDArray[np.int64]) -> Fraction | None:
    """The slowest usual rate by which all pictures end on a frame, as far as milliseconds can tell."""
    # Whole rates before those that differ from them by a thousandth.
    for rate in sorted(RATES, key=lambda r: (round(r), r.denominator)):
        frames = ends * float(rate) / 1000
        whole = np.rint(frames)
        if np.all(np.abs(frames - whole) <= 0.0011 * float(rate)) and np.all(np.diff(whole, prepend=0) >= 1):
            return rate
    return None


class Animation:
    """An open animation; frames are those of its constant rate."""

    def __init__(self, path: Path) -> None:
        try:
            self._film = Image.open(path)
            if self._film.width * self._film.height > PIXELS:
                raise MediaError("The pictures of this animation are too large. Bring in a smaller version.")
            if getattr(self._film, "n_frames", 1) > FRAMES:
                raise MediaError(_TOO_MANY)
            times = self._times()
        except (UnidentifiedImageError, OSError, SyntaxError) as error:
            raise MediaError("This animation is broken or of a kind Upholster cannot read.") from error
        whole = _even_rate(np.cumsum(times)) if len(times) > 1 else RATE
        rate = whole or min(max(_rate(len(times), int(times.sum())), SLOWEST), FASTEST)
        #: The picture each frame shows: pictures that stand longer are several frames.
        ends = np.rint(np.cumsum(times) * float(rate) / 1000).astype(int) if whole else np.arange(1, len(times) + 1)
        self._shows = np.repeat(np.arange(len(times)), np.diff(ends, prepend=0))
        if len(self._shows) > FRAMES:
            raise MediaError(_TOO_MANY)
        kind = kind_of(path)
        self.facts = Facts(
            kind="video" if len(times) > 1 else "still",
            container=kind,
            codec=kind,
            width=self._film.width,
            height=self._film.height,
            length=len(self._shows),
            rate=rate,
            depth=8,
            alpha=True,
            alpha_kind="straight",
            colour=ColourTags(range="full", transfer="srgb", tagged=True),
        )

    def planes(self, frame: int) -> Planes:
        self._film.seek(int(self._shows[frame]))
        pixels = np.asarray(self._film.convert("RGBA"))
        return Planes("rgb", 8, [pixels[..., c] for c in range(3)], pixels[..., 3])

    def _times(self) -> np.ndarray:
        """Milliseconds each picture is shown."""
        count = getattr(self._film, "n_frames", 1)
        if count == 1:
            # One picture alone is a still, whatever time it is given.
            return np.array([1000 / float(RATE)])
        times = []
        for number in range(count):
            self._film.seek(number)
            self._film.load()
            times.append(int(self._film.info.get("duration", 42)) or 42)
        return np.array(times)
