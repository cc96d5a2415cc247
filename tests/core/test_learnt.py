"""The network that corrects the subject's colours: what it is told, what it answers, and what comes of it."""

from pathlib import Path

import cv2
import numpy as np
import pytest

from plates import BLUE, GREEN, ORANGE, SKIN, flat, key_plate
from upholster.core.first_recipe import first_look
from upholster.core.grids import area
from upholster.core.matting import learnt
from upholster.core.matting.described import basis, departed, described
from upholster.core.screen.clean_plate import measure_screen
from upholster.core.screen.survey import survey

Colour = tuple[float, float, float]


def away_of(colour: Colour, screen: Colour) -> np.ndarray:
    apart = flat(colour, 1, 1) - flat(screen, 1, 1)
    return np.array([float((row * apart).sum()) for row in basis(flat(screen, 1, 1))])


@pytest.mark.parametrize("screen", [GREEN, BLUE, ORANGE])
def test_departures_count_from_the_screen_in_its_own_strength(screen: Colour) -> None:
    """By hand: the screen is at zero, a grey as light as it at one, half-way colours half-way."""
    luma = 0.2126 * screen[0] + 0.7152 * screen[1] + 0.0722 * screen[2]
    assert away_of(screen, screen) == pytest.approx([0, 0, 0], abs=1e-6)
    assert away_of((luma, luma, luma), screen) == pytest.approx([1, 0, 0], abs=1e-5)
    half = tuple((c + luma) / 2 for c in screen)
    assert away_of(half, screen) == pytest.approx([0.5, 0, 0], abs=1e-5)  # type: ignore[arg-type]


def test_departures_are_told_back_as_the_colours_they_came_from() -> None:
    draw = np.random.default_rng(2)
    screen, colour = (draw.random((3, 9, 16), np.float32) for _ in range(2))
    away = np.stack([(row * (colour - screen)).sum(axis=0) for row in basis(screen)])
    assert departed(screen, away) == pytest.approx(colour, abs=1e-5)


@pytest.mark.parametrize(("width", "height"), [(48, 27), (50, 31), (16, 9)])
def test_cells_are_described_by_the_pixels_in_them(width: int, height: int) -> None:
    """Against NumPy, cell by cell, where cells are not of one size as well."""
    draw = np.random.default_rng(3)
    plate, screen = draw.random((3, height, width), np.float32), draw.random((3, 9, 16), np.float32)
    cells, to = area(plate, 16, 9), basis(screen)
    found = described(plate, cells, screen, cells[::-1].copy())
    for row, column in ((0, 0), (4, 7), (8, 15)):
        top, left = row * height // 9, column * width // 16
        bottom, right = max((row + 1) * height // 9, top + 1), max((column + 1) * width // 16, left + 1)
        seen = plate[:, top:bottom, left:right].reshape(3, -1) - screen[:, row, column][:, None]
        grey, _, light = to[:, :, row, column] @ seen
        mean = to[:, :, row, column] @ (cells - screen)[:, row, column]
        expected = [*mean, grey.min(), grey.max(), light.min(), light.max()]
        assert found[:7, row, column] == pytest.approx(expected, abs=1e-5)
        own = to[:, :, row, column] @ (cells[::-1] - screen)[:, row, column]
        assert found[9:, row, column] == pytest.approx(own, abs=1e-5)


def test_of_large_cells_some_pixels_are_looked_at() -> None:
    """Twice the size, the same cells: nothing is counted in pixels."""
    draw = np.random.default_rng(5)
    small = draw.random((3, 27, 48), np.float32)
    large = small.repeat(2, axis=1).repeat(2, axis=2)
    cells, clean = area(small, 16, 9), flat(GREEN, 16, 9)
    assert described(large, cells, clean, cells) == pytest.approx(described(small, cells, clean, cells), abs=1e-5)


def parts() -> tuple[np.ndarray, ...]:
    draw = np.random.default_rng(4)
    plate = flat(GREEN, 48, 27) + draw.random((1, 27, 48), np.float32) * (flat(SKIN, 48, 27) - flat(GREEN, 48, 27))
    return plate, area(plate, 16, 9), flat(GREEN, 16, 9), flat(SKIN, 16, 9)


def test_without_a_word_of_the_network_colours_stay_as_they_were(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(learnt.NETWORK, "answer", lambda told: np.zeros((learnt.GIVEN, *told.shape[1:]), np.float32))
    plate, cells, screen, subject = parts()
    found = learnt.corrected(plate, cells, screen, subject, np.zeros((2, 9, 16), np.float32), 0.01)
    assert found[:3] == pytest.approx(subject, abs=1e-5)
    assert not found[3].any()


def test_where_the_subject_is_surely_alone_the_network_is_not_heard() -> None:
    plate, cells, screen, subject = parts()
    sure = np.zeros((2, 9, 16), np.float32)
    sure[1, :, :4] = sure[0, :, 4:8] = 1
    found = learnt.corrected(plate, cells, screen, subject, sure, 0.01)
    assert found[:3, :, :8] == pytest.approx(subject[:, :, :8], abs=1e-5) and not found[3, :, :8].any()
    assert np.abs(found[:3, :, 8:] - subject[:, :, 8:]).max() > 0.01


def test_the_network_is_asked_about_what_is_no_bare_screen_and_some_around() -> None:
    about = np.zeros((learnt.TOLD, 180, 320), np.float32)
    assert learnt.asked(about) is None
    about[2, 90:100, 200:203] = 0.3
    down, across = learnt.asked(about) or (slice(0), slice(0))
    assert down.start <= 90 - 48 and down.stop >= 100 + 48 and down.stop - down.start < 140
    assert across.start <= 200 - 48 and across.stop >= 203 + 48 and across.start % 16 == 0
    about[0, 0, 0] = about[0, -1, -1] = 0.3
    assert learnt.asked(about) == (slice(0, 180), slice(0, 320))
    # As much as that is grain.
    about[:] = 0.01
    about[0] = 0.08
    assert learnt.asked(about) is None


def test_a_bare_screen_far_away_changes_nothing(monkeypatch: pytest.MonkeyPatch) -> None:
    """Against the network asked about all of the picture."""
    draw = np.random.default_rng(9)
    cover = cv2.GaussianBlur(cv2.circle(np.zeros((270, 480), np.float32), (120, 130), 40, 1.0, -1), (0, 0), 2)
    plate = flat(GREEN, 480, 270) + cover * (flat(SKIN, 480, 270) - flat(GREEN, 480, 270))
    plate += draw.normal(0, 0.004, plate.shape).astype(np.float32)
    taken = survey({0: plate})
    recipe = first_look(taken).recipe
    known = measure_screen(taken, recipe.screen)
    part = key_plate(plate, recipe, 0, known).alpha
    monkeypatch.setattr(learnt, "asked", lambda about: (slice(0, about.shape[1]), slice(0, about.shape[2])))
    whole = key_plate(plate, recipe, 0, known).alpha
    assert np.abs(part - whole).max() < 0.01


def test_the_network_answers_as_where_it_was_trained() -> None:
    """Outputs of PyTorch for the same inputs, kept beside this test by `bench/learn`."""
    with np.load(Path(__file__).with_name("learnt_sample.npz")) as sample:
        assert learnt.NETWORK.answer(sample["told"]) == pytest.approx(sample["given"], abs=2e-2)


@pytest.mark.parametrize("fill", [np.nan, np.inf, -np.inf, 1e30])
def test_what_is_no_number_is_not_told(fill: float) -> None:
    plate, cells, screen, subject = parts()
    about = learnt.told(np.full_like(plate, fill), cells, screen, subject, np.zeros((2, 9, 16), np.float32), 0.01)
    assert np.isfinite(about).all() and np.abs(about).max() <= learnt.FURTHEST


def test_a_grey_part_beside_a_saturated_one_is_solid() -> None:
    """What a costume is: thin grey and pale parts beside a strong colour, whose mean is no colour of either."""
    draw = np.random.default_rng(8)
    plate, truth = flat(GREEN, 480, 270), np.zeros((270, 480), np.float32)
    for k in range(12):
        left = 110 + 22 * k
        colour = [(0.7, 0.1, 0.1), (0.55, 0.55, 0.55), (0.85, 0.83, 0.8)][k % 3]
        plate[:, 60:220, left : left + 22] = np.array(colour, np.float32)[:, None, None]
        truth[60:220, left : left + 22] = 1
    plate = cv2.GaussianBlur((plate + draw.normal(0, 0.01, plate.shape)).transpose(1, 2, 0), (0, 0), 0.8)
    plate = np.ascontiguousarray(plate.transpose(2, 0, 1).astype(np.float32))
    taken = survey({0: plate})
    recipe = first_look(taken).recipe
    matte = key_plate(plate, recipe, 0, measure_screen(taken, recipe.screen)).alpha
    inside = cv2.erode(truth, np.ones((5, 5), np.uint8)) > 0
    assert (matte[inside] < 0.95).mean() < 0.01 and matte[truth == 0].mean() < 0.01
