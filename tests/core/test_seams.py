"""Where two cloths of a screen meet within a cell."""

from dataclasses import replace

import cv2
import numpy as np
import pytest

from plates import GREEN, SKIN, Plane, disc, flat, key_plate, known_of
from upholster.core.documents.recipe import Recipe
from upholster.core.documents.screen import Screen
from upholster.core.grids import enlarge
from upholster.core.screen.clean_plate import measure_screen
from upholster.core.screen.survey import survey

SIZE = WIDTH, HEIGHT = 640, 360
FLOOR = tuple(0.7 * c for c in GREEN)
#: Where the floor begins.
LINE = 250


def room(light: float = 1.0, line: int = LINE) -> Plane:
    """A wall and a darker floor, that meet in a line a pixel or two wide."""
    ground = flat(GREEN, *SIZE)
    ground[:, line:] = flat(FLOOR, *SIZE)[:, line:]
    return np.stack([cv2.GaussianBlur(plane, (0, 0), 0.8) for plane in light * ground])


def filmed(ground: Plane, frame: int, *, moving: int = 12) -> tuple[Plane, Plane]:
    """A disc before it that moves from frame to frame, and its coverage."""
    alpha = cv2.GaussianBlur(disc(*SIZE, x=200 + moving * frame, y=200, radius=90), (0, 0), 1.0)
    grain = np.random.default_rng(frame).normal(0, 0.004, ground.shape)
    return (flat(SKIN, *SIZE) * alpha + ground * (1 - alpha) + grain).astype(np.float32), alpha


def along_the_line(alpha: Plane, truth: Plane) -> float:
    """The most that a keyed frame leaves of the line, away from the subject, but for three pixels."""
    away = cv2.dilate(truth, np.ones((25, 25), np.uint8)) == 0
    return float(np.sort(np.where(away, alpha, 0)[LINE - 12 : LINE + 12], axis=None)[-4])


@pytest.mark.parametrize("length", [1, 3, 10])
def test_the_line_between_wall_and_floor_is_no_subject(length: int) -> None:
    shots = [filmed(room(), n) for n in range(length)]
    recipe, known = known_of([plate for plate, _ in shots])
    plate, truth = shots[-1]
    found = key_plate(plate, recipe, length - 1, known).alpha
    without = key_plate(plate, recipe, length - 1, replace(known, fine=None)).alpha
    assert along_the_line(without, truth) > 0.08
    assert along_the_line(found, truth) < 0.03
    assert np.abs(found - truth).mean() < np.abs(without - truth).mean()


def test_seams_stay_found_where_the_light_drifts() -> None:
    shots = [filmed(room(1 + 0.01 * n), n) for n in range(10)]
    recipe, known = known_of([plate for plate, _ in shots])
    assert not known.steady
    for n in (0, 9):
        assert along_the_line(key_plate(shots[n][0], recipe, n, known).alpha, shots[n][1]) < 0.03


def test_a_seam_that_moves_is_not_mistaken_for_one_that_does_not() -> None:
    shots = [filmed(room(line=LINE - 12 * n), n) for n in range(8)]
    recipe, known = known_of([plate for plate, _ in shots])
    for n in (0, 7):
        plate, truth = shots[n]
        kept, without = (key_plate(plate, recipe, n, k).alpha for k in (known, replace(known, fine=None)))
        assert np.abs(kept - truth).mean() < np.abs(without - truth).mean() + 2e-3


def test_an_even_screen_and_one_with_folds_have_no_seams() -> None:
    folds = 1 + 0.08 * np.sin(np.arange(WIDTH, dtype=np.float32) / 30)
    for ground in (flat(GREEN, *SIZE), flat(GREEN, *SIZE) * folds):
        _, known = known_of([filmed(ground, n)[0] for n in range(6)])
        assert known.fine is None


def test_a_wire_that_hangs_still_is_no_seam() -> None:
    """Two pixels of black before green are darker green: only what lies between two cloths is one of them."""
    wired = room()
    wired[:, 40:LINE, 500:502] = 0.02
    shots = [filmed(wired, n) for n in range(10)]
    recipe, known = known_of([plate for plate, _ in shots])
    assert known.fine is not None
    alpha = key_plate(shots[4][0], recipe, 4, known).alpha
    # Away from the line, where the floor is as dark as a wire that is half out of focus.
    assert alpha[60 : LINE - 30, 500:502].min() > 0.6


def test_the_rim_of_what_may_be_tinted_glass_is_no_seam() -> None:
    """What is cut straight is cloth that was stuck on; what is round may be glass, though it is taken for cloth."""
    y, x = np.mgrid[0:HEIGHT, 0:WIDTH].astype(np.float32)
    darker = flat((0.12, 0.35, 0.2), *SIZE)
    for shape, seams in ((np.hypot((x - 480) / 70, (y - 120) / 90) < 1, False), (abs(x - 480) + 0 * y < 80, True)):
        ground = flat(GREEN, *SIZE)
        part = shape & (abs(y - 120) < 90)
        ground = np.where(part, darker, ground)
        _, known = known_of([filmed(ground, n)[0] for n in range(6)])
        assert (known.fine is not None) == seams


def test_a_cloth_goes_on_below_an_arm_that_is_held_before_it() -> None:
    """What is left of it there is too small to be a cloth of its own, and the screen is all around it."""
    darker = (0.12, 0.35, 0.2)
    ground = flat(GREEN, *SIZE)
    ground[:, 40:176, 440:520] = flat(darker, *SIZE)[:, 40:176, 440:520]
    ground[:, 130:160, 400:600] = flat(SKIN, *SIZE)[:, 130:160, 400:600]
    _, known = known_of([filmed(ground, n)[0] for n in range(6)])
    below = enlarge(known.plate, *SIZE)[:, 166:172, 460:500].mean(axis=(1, 2))
    assert below == pytest.approx(darker, abs=0.05)


def test_a_cloth_is_found_though_something_passes_before_it() -> None:
    darker = (0.12, 0.35, 0.2)
    ground = flat(GREEN, *SIZE)
    ground[:, :, 160:320] = flat(darker, *SIZE)[:, :, 160:320]
    _, known = known_of([filmed(ground, n, moving=60)[0] for n in range(10)])
    behind = enlarge(known.plate, *SIZE)[:, 150:250, 220:280].mean(axis=(1, 2))
    assert behind == pytest.approx(darker, abs=0.02)


def test_what_stands_on_the_empty_set_is_clean_plate_as_fine_as_it_is() -> None:
    marked = room()
    marked[:, 60:64, 450:480] = 0.8
    shots = [filmed(marked, n) for n in range(6)]
    screen = Screen(kind="screen", colour=GREEN)
    shot, empty = survey({n: plate for n, (plate, _) in enumerate(shots)}), survey({0: marked})
    known = measure_screen(shot, screen, empty)
    assert known is not None and known.fine is not None
    found = key_plate(shots[3][0], Recipe(screen=screen), 3, known).alpha
    coarse = key_plate(shots[3][0], Recipe(screen=screen), 3, replace(known, fine=None)).alpha
    # A few pixels of the mark's own outline stay.
    left, stays = ((matte[55:70, 445:485] > 0.1).sum() for matte in (found, coarse))
    assert stays > 100 and left < 20


def test_an_empty_set_that_was_shot_from_elsewhere_shows_no_more_than_its_light() -> None:
    shots = [filmed(room(), n)[0] for n in range(6)]
    moved = survey({0: room(line=LINE + 40)})
    known = measure_screen(survey(dict(enumerate(shots))), Screen(kind="screen", colour=GREEN), moved)
    assert known is not None and known.fine is None
