"""What a delivery costs is reckoned while no hand moves."""

from collections.abc import Callable

import pytest

from upholster.studio.looking import hand
from upholster.studio.renders.estimate import Estimate
from upholster.web.quoting import quoted

FOUND = Estimate(1000, 1.0, 2.0)


@pytest.fixture
def moving(monkeypatch: pytest.MonkeyPatch) -> list[bool]:
    """Whether a hand moves, look by look; afterwards it rests."""
    looks: list[bool] = []
    monkeypatch.setattr(hand, "give_way", lambda: None)
    monkeypatch.setattr(hand, "rests", lambda: not (looks and looks.pop(0)))
    return looks


def test_a_hand_that_moves_has_the_machine_and_it_is_begun_anew(moving: list[bool]) -> None:
    begun = []

    def reckon(progress: Callable[[int], None]) -> Estimate:
        begun.append(len(begun))
        progress(1)
        return FOUND

    # Rests at first, moves while it is reckoned.
    moving += [False, True]
    assert quoted("w1", 1, reckon) == FOUND and len(begun) == 2


def test_it_is_reckoned_at_some_time_though_the_hand_never_rests(moving: list[bool]) -> None:
    moving += [True] * 100
    assert quoted("w2", 1, lambda progress: (progress(1), FOUND)[1]) == FOUND


def test_an_older_question_is_dropped(moving: list[bool]) -> None:
    assert quoted("w3", 7, lambda progress: FOUND) == FOUND
    assert quoted("w3", 6, lambda progress: FOUND) is None
    assert quoted("w4", 6, lambda progress: FOUND) == FOUND
