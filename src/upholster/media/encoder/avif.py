"""Animated AVIF, by libavif through Pillow: one picture at a time, however many there are."""

import io
from collections.abc import Iterable, Iterator
from fractions import Fraction
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from upholster.media.encoder.disk import no_room

#: Pictures are coded in 4:4:4, since a matte's edge is where colours change, and in the limited range: a browser took
#: full-range ones for limited, whatever the file says. Speed 10 is the quickest, 0 the finest.
_CHOICES = {"subsampling": "4:4:4", "speed": 7, "range": "limited", "advanced": {"a:lossless": "1"}}


class _Film(Image.Image):
    """Pictures that come one after the other, as Pillow asks for those of an animation."""

    def __init__(self, pictures: Iterator[NDArray[np.uint8]], count: int) -> None:
        super().__init__()
        self._pictures, self._at = pictures, 0
        self._pixels = next(pictures)
        self._mode, self._size = "RGBA", (self._pixels.shape[1], self._pixels.shape[0])
        self.n_frames, self.is_animated = count, count > 1

    def load(self) -> None:
        return None

    def tell(self) -> int:
        return self._at

    def seek(self, frame: int) -> None:
        if frame >= self.n_frames:
            raise EOFError
        # Pillow goes through them once, and back to where it began.
        if frame == self._at + 1:
            self._pixels, self._at = next(self._pictures), frame

    def tobytes(self, *how: object) -> bytes:
        return self._pixels.tobytes()


def write_avif(
    pictures: Iterable[NDArray[np.uint8]], count: int, rate: Fraction, path: Path, *, quality: int, threads: int = 1
) -> None:
    """Write straight 8-bit RGBA pictures ``(h, w, 4)`` as one AVIF (AV1 Image File Format 1.1.0, sections 3 and 4.1).

    Its times are whole milliseconds. The file takes its name when it is whole.
    """
    ends = [round(1000 * (n + 1) / rate) for n in range(count)]
    durations = [end - begin for begin, end in zip([0, *ends], ends, strict=False)]
    packed = io.BytesIO()
    film = _Film(iter(pictures), count)
    film.save(packed, "AVIF", save_all=True, duration=durations, quality=quality, max_threads=threads, **_CHOICES)
    part = path.with_name(path.name + ".part")
    try:
        part.write_bytes(packed.getbuffer())
        part.replace(path)
    except OSError as error:
        raise no_room(error) from error
    finally:
        part.unlink(missing_ok=True)
