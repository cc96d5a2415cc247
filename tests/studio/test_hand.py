"""What can wait gives way to a hand that moves, and not for ever."""

import time
from pathlib import Path

import pytest

from upholster.studio.looking import hand


def test_a_hand_rests_some_moments_after_it_moved(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    monkeypatch.setenv("UPHOLSTER_DATA", str(tmp_path))
    monkeypatch.setattr(hand, "_RESTS", 0.3)
    assert hand.rests(), "nobody has ever moved"
    hand.moves()
    assert not hand.rests()
    began = time.monotonic()
    hand.give_way()
    assert hand.rests() and time.monotonic() - began < 3
    monkeypatch.setattr(hand, "_RESTS", 1e6)
    monkeypatch.setattr(hand, "_MOST", 2)
    hand.moves()
    hand.give_way()
    assert not hand.rests(), "what waits goes on at some time"
