"""Timecode, SMPTE ST 12-1: the time of day of a frame, counted in whole frames."""

import re
from fractions import Fraction

_CODE = re.compile(r"(\d\d):([0-5]\d):([0-5]\d)([:;.])(\d\d)")
#: Hours after which it begins anew.
_DAY = 24


def shifted(code: str, rate: Fraction, frames: int) -> str:
    """The timecode so many frames later, or earlier; empty where `code` is none at this rate.

    Codes with a semicolon or a dot before the frames drop numbers, so as to keep step with the clock: at 30000/1001
    frames a second two of each minute but every tenth, at 60000/1001 four (ST 12-1, 5.2.2).
    """
    match = _CODE.fullmatch(code)
    count = round(rate)
    if match is None or count < 1:
        return ""
    hours, minutes, seconds, frame = (int(match[k]) for k in (1, 2, 3, 5))
    dropping = match[4] in ";."
    if hours >= _DAY or frame >= count or (dropping and count % 30):
        return ""
    dropped = count // 15 if dropping else 0
    if frame < dropped and not seconds and minutes % 10:
        return ""
    passed = 60 * hours + minutes
    number = (60 * passed + seconds) * count + frame - dropped * (passed - passed // 10)
    return _written(number + frames, count, dropped, match[4])


def _written(number: int, count: int, dropped: int, mark: str) -> str:
    """The code of a frame counted from midnight."""
    minute, ten = 60 * count - dropped, 600 * count - 9 * dropped
    number %= 6 * _DAY * ten
    tens, rest = divmod(number, ten)
    # The first minute of ten keeps all of its numbers.
    skipped = 0 if rest < 60 * count else 1 + (rest - 60 * count) // minute
    number += dropped * (9 * tens + skipped)
    seconds, frame = divmod(number, count)
    return f"{seconds // 3600:02d}:{seconds // 60 % 60:02d}:{seconds % 60:02d}{mark}{frame:02d}"
