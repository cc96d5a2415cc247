"""Timecode against SMPTE ST 12-1 and what handbooks count."""

from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from upholster.core.timecode import shifted

NTSC, FAST = Fraction(30000, 1001), Fraction(60000, 1001)


@pytest.mark.parametrize(
    ("code", "rate", "frames", "after"),
    [
        ("01:00:00:00", Fraction(25), 30, "01:00:01:05"),
        ("00:59:59:23", Fraction(24000, 1001), 1, "01:00:00:00"),
        ("00:00:00:00", Fraction(24), -1, "23:59:59:23"),
        # ST 12-1, 5.2.2: numbers 0 and 1 are left out at each minute but every tenth.
        ("00:00:59;29", NTSC, 1, "00:01:00;02"),
        ("00:09:59;29", NTSC, 1, "00:10:00;00"),
        ("00:01:00;02", NTSC, -1, "00:00:59;29"),
        ("00:00:59;59", FAST, 1, "00:01:00;04"),
        # An hour of drop-frame code is 107 892 frames (common practice, no source).
        ("00:00:00;00", NTSC, 107_892, "01:00:00;00"),
        ("00:00:00:00", NTSC, 108_000, "01:00:00:00"),
    ],
)
def test_codes_are_counted_as_the_standard_has_them(code: str, rate: Fraction, frames: int, after: str) -> None:
    assert shifted(code, rate, frames) == after


@pytest.mark.parametrize("code", ["", "1:2:3:4", "00:00:00:25", "25:00:00:00", "00:61:00:00", "00:01:00;00", "later"])
def test_what_is_no_code_gives_none(code: str) -> None:
    assert shifted(code, NTSC if ";" in code else Fraction(25), 3) == ""


@given(st.integers(0, 2_589_407), st.integers(-500_000, 500_000), st.booleans())
def test_there_and_back_is_the_same(start: int, frames: int, dropping: bool) -> None:
    code = shifted("00:00:00;00" if dropping else "00:00:00:00", NTSC, start)
    assert shifted(shifted(code, NTSC, frames), NTSC, -frames) == code
    if dropping:
        assert not (code[6:8] == "00" and code[9:] in ("00", "01") and code[4] != "0")
