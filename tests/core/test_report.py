"""What is said about a screen, against plates where the answer is known."""

import numpy as np
import pytest

from plates import BLUE, GREEN, SKIN, disc, flat, shot
from upholster.core.first_recipe import first_look
from upholster.core.screen.clean_plate import measure_screen
from upholster.core.screen.report import Report, report
from upholster.core.screen.survey import survey


def looked(plates: list[np.ndarray]) -> Report:
    taken = survey(dict(enumerate(plates)))
    recipe = first_look(taken).recipe
    known = measure_screen(taken, recipe.screen)
    assert known is not None
    return report(taken, recipe, known)


def test_the_light_is_measured_in_stops() -> None:
    """A code value times k is light times k to the 2.4 (Rec. ITU-R BT.1886); the rim keeps 2 % at either end."""
    even = looked([shot(frame=n)[0] for n in range(3)])
    uneven = looked([shot(frame=n, uneven=0.2)[0] for n in range(3)])
    assert even.stops < 0.1
    assert uneven.stops == pytest.approx(2.4 * np.log2(1.2 / 0.8), rel=0.12)


def test_colours_of_the_subject_near_the_screens_are_named_with_their_share() -> None:
    far = looked([shot(subject=SKIN, frame=n)[0] for n in range(3)])
    assert far.near == ()
    plates = []
    for n in range(3):
        plate, alpha = shot(subject=SKIN, frame=n)
        part = (alpha > 0.99) & (np.arange(180)[:, None] > 90)
        plate[:, part] = np.array((0.30, 0.42, 0.22), np.float32)[:, None]
        plates.append(plate)
    ((part, colour),) = looked(plates).near
    assert 0.3 < part < 0.7 and colour == pytest.approx((0.30, 0.42, 0.22), abs=0.02)


@pytest.mark.parametrize(
    ("screen", "own", "subject", "another"),
    [
        (GREEN, "green", (0.32, 0.43, 0.24), True),
        (BLUE, "blue", (0.42, 0.47, 0.56), True),
        (GREEN, "green", (0.9, 0.2, 0.8), False),
    ],
)
def test_a_safer_screen_is_named_where_there_is_one(
    screen: tuple[float, float, float], own: str, subject: tuple[float, float, float], another: bool
) -> None:
    plates = []
    for n in range(3):
        alpha, core = disc(x=120 + 4 * n, radius=55), disc(x=120 + 4 * n, radius=30)
        plate = flat((0.8, 0.78, 0.74)) * alpha + flat(screen) * (1 - alpha)
        plates.append((plate * (1 - core) + flat(subject) * core).astype(np.float32))
    found = looked(plates)
    assert bool(found.safer) == another and found.safer != own
    assert any(found.safer in sentence and "screen would" in sentence for sentence in found.sentences()) == another


def test_a_frame_unlike_the_others_is_doubtful() -> None:
    plates = [shot(frame=n)[0] for n in range(8)]
    assert looked(plates).doubts == ()
    haze = flat((0.5, 0.5, 0.5)) * np.float32(0.2)
    plates[5] = (plates[5] * np.float32(0.8) + haze).astype(np.float32)
    found = looked(plates)
    assert [d.frame for d in found.doubts] == [5]
    assert "frame 5" in " ".join(found.sentences())
