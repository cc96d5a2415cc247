"""Keeping a file within a bit rate: at one quality throughout, the finest that fits.

An encoder that is told a rate spends it on the first frames, and alpha that is coded beside them suffers; one quality
for all keeps every frame.
"""

import math
import tempfile
from collections.abc import Callable
from pathlib import Path

#: Constant qualities of VP9, of 0 to 63, between which one is looked for, and how many steps about halve a file.
_FINEST, _COARSEST, _HALVES = 18, 63, 11
#: How often one is tried at most, and the share of the room that is filled well enough.
_ATTEMPTS, _FILLED = 8, 0.85


class TooSmall(Exception):
    """Nothing fits; `least` is the bytes of the coarsest."""

    def __init__(self, least: int) -> None:
        super().__init__()
        self.least = least


def encode_within(room: int, encode: Callable[[int, Path], None], keep: Callable[[Path], None], beside: Path) -> None:
    """Encode at several qualities, and hand the finest that takes at most `room` bytes to `keep`.

    `encode` writes a file at a quality, the lower the finer. They lie in a folder beside `beside` that goes away.

    Raises
    ------
    TooSmall
    """
    with tempfile.TemporaryDirectory(dir=beside.parent, prefix=".upholster-") as folder:
        attempt, best = Path(folder) / f"attempt{beside.suffix}", Path(folder) / f"best{beside.suffix}"
        quality, too_large, fits = _FINEST, _FINEST - 1, _COARSEST + 1
        for left in reversed(range(_ATTEMPTS)):
            encode(quality, attempt)
            size = attempt.stat().st_size
            if size <= room:
                attempt.replace(best)
                fits = quality
                if size > _FILLED * room:
                    break
                quality = (too_large + fits) // 2
            else:
                if quality == _COARSEST:
                    raise TooSmall(size)
                too_large = quality
                quality = _coarser(quality, size / room, fits, last=left == 1)
            if fits - too_large == 1:
                break
        keep(best)


def _coarser(quality: int, times: float, fits: int, *, last: bool) -> int:
    """What to try after a quality whose file was so many times too large."""
    if fits <= _COARSEST:
        return (quality + fits) // 2
    return _COARSEST if last else min(_COARSEST, quality + max(2, math.ceil(_HALVES * math.log2(times))))
