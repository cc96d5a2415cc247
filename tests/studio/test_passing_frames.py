"""Frames that only pass by, as a shot plays, come out the same and leave nothing behind but their plate."""

from collections.abc import Iterator

import numpy as np
import pytest

from brought import green_shot
from conftest import House
from upholster.core.documents.recipe import changed
from upholster.studio.looking import look, plates
from upholster.studio.looking.hand import Overtaken
from upholster.studio.shots import shots


@pytest.fixture(scope="module")
def shot_id(house: House, tmp_path_factory: pytest.TempPathFactory) -> int:
    return green_shot(tmp_path_factory.mktemp("passing"), "passing_moth", 8, 0.0413)


def grown(shot_id: int, frame: int, *, passing: bool) -> tuple[np.ndarray, int]:
    """A picture, and how many bytes more are kept after it."""
    state = shots.open_shot(shot_id)
    plates.frame(state.footage, frame, "quick")
    before = plates.pictures.bytes
    found = look.picture(state.footage, state.recipe, look.Wanted(frame, passing=passing))
    return found, plates.pictures.bytes - before


def test_a_passing_frame_is_the_same_picture_and_nothing_of_it_is_kept(shot_id: int) -> None:
    passed, kept = grown(shot_id, 3, passing=True)
    assert kept == 0
    looked_at, kept = grown(shot_id, 3, passing=False)
    assert kept > looked_at.nbytes
    assert (passed == looked_at).all()


def test_between_two_frames_both_are_kept_for_the_next(shot_id: int) -> None:
    state = shots.open_shot(shot_id)
    slow = changed(state.recipe, {"take": {"speed": 50, "between": "blend"}})
    before = plates.pictures.bytes
    look.picture(state.footage, slow, look.Wanted(11, taken=True, passing=True))
    assert plates.pictures.bytes > before


def test_a_picture_that_is_overtaken_is_given_up_between_two_steps(shot_id: int) -> None:
    """Whatever it is at, the next look gives the whole picture."""
    state = shots.open_shot(shot_id)
    whole = look.picture(state.footage, state.recipe, look.Wanted(6))
    plates.pictures.clear()
    steps = 0
    for most in (0, 1, 4, 1000):
        left = iter(range(most))

        def going_on(left: Iterator[int] = left) -> None:
            nonlocal steps
            steps += 1
            if next(left, None) is None:
                raise Overtaken

        begun = steps
        if most < 1000:
            with pytest.raises(Overtaken):
                look.picture(state.footage, state.recipe, look.Wanted(6), going_on)
            assert steps - begun == most + 1, "nothing is done after it"
        else:
            assert (look.picture(state.footage, state.recipe, look.Wanted(6), going_on) == whole).all()
            assert steps - begun > 8, "it is asked before each step"
