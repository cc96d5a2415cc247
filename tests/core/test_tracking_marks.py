"""Tracking marks: found on the screen of a surveyed shot, taken out of each frame."""

from collections.abc import Callable

import cv2
import numpy as np
import pytest

from plates import GREEN, SKIN, Plane, disc, flat, key_plate, known_of
from upholster.core.documents.masks import Mask, Masks
from upholster.core.first_recipe import first_look, found
from upholster.core.masks.course import Course
from upholster.core.screen.clean_plate import measure_screen
from upholster.core.screen.survey import survey

WIDTH, HEIGHT, FRAMES = 960, 540, 6
TAPE = (0.75, 0.7, 0.65)
#: Where marks are stuck, on a screen that reaches beyond the picture.
LATTICE = [(x + (37 * y) % 40, y + (23 * x) % 30) for x in range(-100, 1100, 150) for y in range(-60, 640, 140)]


def crosses(shift: tuple[float, float] = (0, 0), places: list[tuple[float, float]] = LATTICE) -> Plane:
    drawn = np.zeros((HEIGHT, WIDTH), np.float32)
    for x, y in places:
        at = round(x + shift[0]), round(y + shift[1])
        for long, high in ((10, 2), (2, 10)):
            cv2.rectangle(drawn, (at[0] - long, at[1] - high), (at[0] + long, at[1] + high), 1, -1)
    return cv2.GaussianBlur(drawn, (0, 0), 0.8)


def before(ground: Plane, n: int) -> tuple[Plane, Plane]:
    """A ball that rolls before a ground, and its coverage."""
    alpha = disc(WIDTH, HEIGHT, x=400 + 12 * n, y=290, radius=120)
    return flat(SKIN, WIDTH, HEIGHT) * alpha + ground * (1 - alpha), alpha


def taped(drawn: Plane) -> Plane:
    return flat(GREEN, WIDTH, HEIGHT) * (1 - drawn) + flat(TAPE, WIDTH, HEIGHT) * drawn


@pytest.mark.parametrize("pan", [(0, 0), (11, 4)])
def test_marks_on_a_screen_are_taken_out_whether_the_camera_moves_or_not(pan: tuple[int, int]) -> None:
    shifts = [(pan[0] * n, pan[1] * n) for n in range(FRAMES)]
    shots = [before(taped(crosses(shift)), n) for n, shift in enumerate(shifts)]
    recipe, known = known_of([plate for plate, _ in shots])
    assert known.marks is not None
    assert 20 < known.marks.size * WIDTH < 45
    plate, alpha = shots[3]
    clear = cv2.dilate(alpha, np.ones((61, 61), np.uint8)) == 0
    kept = recipe.model_copy(update={"matte": recipe.matte.model_copy(update={"tracking_marks": False})})
    assert key_plate(plate, kept, 3, known).alpha[clear].max() > 0.9
    seen = key_plate(plate, recipe, 3, known).alpha
    assert seen[clear].max() < 0.05
    assert seen[alpha > 0.99].min() > 0.8
    # A preview is smaller, and so are its marks.
    small = np.stack([cv2.resize(c, (480, 270), interpolation=cv2.INTER_AREA) for c in plate])
    assert key_plate(small, recipe, 3, known).alpha[clear[::2, ::2]].max() < 0.05


def test_marks_beside_the_subject_go_where_other_frames_show_them() -> None:
    ground = taped(crosses())
    plates = [before(ground, 5 * n)[0] for n in range(FRAMES)]
    recipe, known = known_of(plates)
    beside = 0
    for n in range(0, 25, 2):
        plate, alpha = before(ground, n)
        seen = key_plate(plate, recipe, n, known).alpha
        # Those that a good part of is seen, which hang together with the ball.
        near = cv2.dilate(alpha, np.ones((9, 9), np.uint8)) > 0.02
        around = cv2.dilate(alpha, np.ones((41, 41), np.uint8)) > 0.02
        count, labels = cv2.connectedComponents(((crosses() > 0.5) & ~(alpha > 0.02)).astype(np.uint8))
        for k in range(1, count):
            mark = labels == k
            if (mark & near).any() and (mark & around & ~near).sum() > 60:
                beside += 1
                assert seen[mark & ~near].mean() < 0.1, (n, k)
        assert seen[alpha > 0.995].min() > 0.8
    assert beside >= 4


def test_a_thing_like_a_mark_that_touches_the_subject_stays_where_no_mark_is() -> None:
    plates = [before(taped(crosses()), n)[0] for n in range(FRAMES)]
    recipe, known = known_of(plates)
    plate, alpha = before(taped(crosses(places=[*LATTICE, (400 + 12 * 3 + 120, 290)])), 3)
    seen = key_plate(plate, recipe, 3, known).alpha
    assert seen[alpha > 0.99].min() > 0.8
    assert seen[286:295, 558:566].max() > 0.9


def thrown(n: int) -> list[tuple[float, float]]:
    draw = np.random.default_rng(5)
    began, speed = draw.uniform((0, 0), (WIDTH, HEIGHT), (30, 2)), draw.uniform(-40, 40, (30, 2))
    return [(float(x), float(y)) for x, y in (began + speed * n) % (WIDTH, HEIGHT)]


def written(n: int) -> list[tuple[float, float]]:
    """As letters stand: close together."""
    return [(80 + 34 * k, y) for k in range(22) for y in (60, 110, 480)]


@pytest.mark.parametrize("places", [thrown, written])
def test_confetti_and_letters_are_no_marks(places: Callable[[int], list[tuple[float, float]]]) -> None:
    plates = [before(taped(crosses(places=places(n))), n)[0] for n in range(FRAMES)]
    _, known = known_of(plates)
    assert known.marks is None


def test_small_things_alone_are_the_subject() -> None:
    plates = [taped(crosses())] * FRAMES
    _, known = known_of(plates)
    assert known.marks is None


def test_few_or_differently_coloured_things_are_no_marks() -> None:
    few = [before(taped(crosses(places=LATTICE[12:15])), n)[0] for n in range(FRAMES)]
    assert known_of(few)[1].marks is None
    colours = [(0.9, 0.9, 0.9), (0.1, 0.1, 0.6), (0.7, 0.1, 0.1), (0.02, 0.02, 0.02)]
    ground = flat(GREEN, WIDTH, HEIGHT)
    for k, place in enumerate(LATTICE):
        drawn = crosses(places=[place])
        ground = ground * (1 - drawn) + flat(colours[k % 4], WIDTH, HEIGHT) * drawn
    assert known_of([before(ground, n)[0] for n in range(FRAMES)])[1].marks is None


def test_what_is_found_is_told_as_long_as_it_is_taken_out() -> None:
    taken = survey({n: before(taped(crosses()), n)[0] for n in range(FRAMES)})
    look = first_look(taken)
    known = measure_screen(taken, look.recipe.screen)
    left_in = look.recipe.model_copy(update={"matte": look.recipe.matte.model_copy(update={"tracking_marks": False})})
    assert any("Tracking marks" in words for words in found(taken, look.recipe, known, look))
    assert not any("Tracking marks" in words for words in found(taken, left_in, known, look))


def test_a_mask_limits_where_marks_are_taken_out() -> None:
    shots = [before(taped(crosses()), n) for n in range(FRAMES)]
    recipe, known = known_of([plate for plate, _ in shots])
    points = np.zeros((1, 4, 8))
    points[0, :, :2] = (0, 0), (WIDTH / 2, 0), (WIDTH / 2, HEIGHT), (0, HEIGHT)
    left_half = Course.read(Course(True, (False,) * 4, (0,), ("hold",), points).document())
    mask = Mask(name="Left", does="limit", line="tracking_marks", course=left_half)
    recipe = recipe.model_copy(update={"masks": Masks(order=("m1",), each={"m1": mask})})
    plate, alpha = shots[3]
    lone = (crosses() > 0.9) & (cv2.dilate(alpha, np.ones((61, 61), np.uint8)) == 0)
    left, right = np.array_split(np.where(lone, key_plate(plate, recipe, 3, known).alpha, np.nan), 2, axis=1)
    assert np.nanmax(left) < 0.05 and np.nanmedian(right) > 0.9
