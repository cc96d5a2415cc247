"""The network that corrects single pixels: where it is asked, what it is told, and what comes of its answers."""

from pathlib import Path

import cv2
import numpy as np
import pytest

from plates import BLUE, GREEN, SKIN, disc, flat, key_plate
from upholster.core.first_recipe import first_look
from upholster.core.grids import upsampled
from upholster.core.matting import pixels
from upholster.core.matting.described import basis
from upholster.core.places import BLOCK
from upholster.core.screen.clean_plate import measure_screen
from upholster.core.screen.metric import LUMA_WEIGHT
from upholster.core.screen.survey import survey


def ramp(width: int = 40, height: int = 22) -> np.ndarray:
    """Coverage that rises from left to right over the middle third."""
    across = np.clip((np.arange(width, dtype=np.float32) - width / 3) / (width / 3), 0, 1)
    return np.ascontiguousarray(np.broadcast_to(across, (height, width)))


def seen(cover: np.ndarray) -> np.ndarray:
    height, width = cover.shape
    return flat(GREEN, width, height) + cover * (flat(SKIN, width, height) - flat(GREEN, width, height))


def grids(width: int, height: int) -> tuple:
    return tuple(upsampled(flat(colour, 8, 6), width, height) for colour in (GREEN, SKIN))


def says(value: float, monkeypatch: pytest.MonkeyPatch) -> None:
    given = np.float32(value)
    monkeypatch.setattr(
        pixels.NETWORK, "answer", lambda told, places: np.full((len(told), BLOCK**2), given, np.float32)
    )


def asked(cover: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    return pixels.asked(seen(cover), cover)


def test_it_is_asked_where_coverage_is_neither_clear_nor_solid_around() -> None:
    cover = np.zeros((20, 20), np.float32)
    cover[:, 10:] = 1
    where, _ = asked(cover)
    assert where[0].tolist() == [0, 0, 0, 0, 1, 1, 0, 0, 0, 0]
    cover[:, 8:12] = 0.5
    assert asked(cover)[0][5].tolist() == [0, 0, 0, 1, 1, 1, 1, 0, 0, 0]
    assert not asked(np.zeros((20, 20), np.float32))[0].any()
    assert not asked(np.ones((21, 19), np.float32))[0].any()


def test_surroundings_are_told_by_their_coverage() -> None:
    """By hand: all half covered; and far from a small thing, nothing."""
    _, around = asked(np.full((40, 40), 0.5, np.float32))
    assert around[:2] == pytest.approx(np.stack([np.full((20, 20), 0.5), np.ones((20, 20))]))
    cover = np.zeros((80, 80), np.float32)
    cover[:2, :2] = 1
    _, around = asked(cover)
    assert (around[:2, 20:, 20:] == 0).all() and around[0, 7, 7] == pytest.approx(1 / 225)


@pytest.mark.parametrize(("width", "height"), [(60, 40), (61, 41)])
def test_surroundings_are_told_by_their_solid_and_their_bare_colours(width: int, height: int) -> None:
    """Against NumPy, over seven blocks on a side."""
    draw = np.random.default_rng(7)
    plate, cover = draw.random((3, height, width), np.float32), draw.random((height, width), np.float32)
    cover[:, :20] = np.rint(cover[:, :20])
    _, around = pixels.asked(plate, cover)
    part = np.s_[2 * 7 : 2 * 14, 2 * 3 : 2 * 10]
    for first, these in ((2, cover[part] > pixels.SOLID), (6, cover[part] < pixels.CLEAR)):
        assert around[first : first + 3, 10, 6] == pytest.approx((plate[:, *part] * these).mean(axis=(1, 2)), abs=1e-6)
        assert around[first + 3, 10, 6] == pytest.approx(these.mean(), abs=1e-6)


@pytest.mark.parametrize("bare_and_solid", [True, False])
@pytest.mark.parametrize(("width", "height"), [(40, 22), (41, 23)])
def test_what_is_told_of_a_block(width: int, height: int, bare_and_solid: bool) -> None:
    """Against NumPy, of single blocks; where a picture ends in the middle of one, its last pixels count twice.

    Where nothing around is bare or solid, the clean plate and the subject's colour stand for it.
    """
    draw = np.random.default_rng(6)
    plate, cover = draw.random((3, height, width), np.float32), draw.random((height, width), np.float32)
    if not bare_and_solid:
        cover = cover * 0.8 + 0.1
    screen, subject = flat(BLUE, 8, 6), flat(SKIN, 8, 6)
    where, around = pixels.asked(plate, cover)
    places = np.argwhere(where).astype(np.int32)
    over = upsampled(screen, width, height), upsampled(subject, width, height)
    told = pixels.told(plate, cover, *over, places, around, 0.02)
    to = basis(screen)[:, :, 0, 0]
    metric = np.array([1, 1, LUMA_WEIGHT**2])
    luma = np.array([0.2126, 0.7152, 0.0722]) @ BLUE
    strength = np.hypot(BLUE[2] - luma, BLUE[0] - luma)
    for n in (0, len(places) // 2, len(places) - 1):
        j, i = places[n]
        rows, columns = np.minimum([2 * j, 2 * j + 1], height - 1), np.minimum([2 * i, 2 * i + 1], width - 1)
        away = to @ (plate[:, rows][:, :, columns] - screen[:, :1, :1]).reshape(3, 4)
        grey, aside, light = away
        own = to @ (subject - screen)[:, 0, 0]
        solid, bare = own, np.zeros(3)
        if around[5, j, i] > 0.01:
            solid = to @ (around[2:5, j, i] / around[5, j, i] - screen[:, 0, 0])
        if around[9, j, i] > 0.01:
            bare = to @ (around[6:9, j, i] / around[9, j, i] - screen[:, 0, 0])
        assert around[[5, 9], j, i].any() == bare_and_solid
        along = metric * (solid - bare) @ (away - bare[:, None]) / max(metric @ (solid - bare) ** 2, 0.01)
        cells = cover[np.ix_(rows, columns)].ravel()
        by_light = np.clip(light * own[2] / (own[2] ** 2 + 0.05**2), -1, 2)
        beside = [*around[:2, j, i], around[5, j, i], around[9, j, i], strength, luma, 0.02 / strength]
        expected = [*light, *grey, aside.mean(), *own, *cells, *by_light, *along.clip(-1, 2), *solid, *bare, *beside]
        assert told[n] == pytest.approx(expected, abs=1e-4)


@pytest.mark.parametrize(("width", "height"), [(40, 22), (41, 23), (3, 2), (1, 1), (1990, 20)])
def test_without_a_word_of_the_network_coverage_stays_as_it_was(
    width: int, height: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    says(0, monkeypatch)
    cover = ramp(width, height)
    assert (pixels.corrected(seen(cover), cover, *grids(width, height), 0.01) == cover).all()


@pytest.mark.parametrize("width", [41, 2000])
def test_what_it_says_is_added_at_every_size_and_stays_within_bounds(
    width: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    cover = ramp(width, 23)
    about = np.linspace(0, width, 5).astype(int)[1:-1]
    says(0.1, monkeypatch)
    found = pixels.corrected(seen(cover), cover, *grids(width, 23), 0.01)
    assert found[10, about[1]] == pytest.approx(cover[10, about[1]] + 0.1, abs=1e-3)
    assert (found[:, 0] == 0).all() and (found[:, -1] == 1).all()
    says(9, monkeypatch)
    assert pixels.corrected(seen(cover), cover, *grids(width, 23), 0.01).max() == 1
    says(-9, monkeypatch)
    found = pixels.corrected(seen(cover), cover, *grids(width, 23), 0.01)
    assert found.min() == 0


def test_it_is_held_back_from_lowering_much_and_from_lowering_what_is_solid(monkeypatch: pytest.MonkeyPatch) -> None:
    """By hand: by 0.15 at most, and by half of that from 0.98 on."""
    says(-9, monkeypatch)
    cover = np.full((20, 40), 0.5, np.float32)
    cover[:, 20:] = 0.99
    found = pixels.corrected(seen(cover), cover, *grids(40, 20), 0.01)
    assert found[10, [3, 20]] == pytest.approx([0.35, 0.99 - 0.075], abs=1e-4)


def test_a_stray_value_that_is_no_number_stays_where_it_is() -> None:
    plate, cover = seen(ramp()), ramp()
    before = pixels.corrected(plate, cover, *grids(40, 22), 0.01)
    plate[:, 11, 20] = np.nan
    found = pixels.corrected(plate, cover, *grids(40, 22), 0.01)
    assert np.isfinite(found).all()
    assert found[:, [0, 39]] == pytest.approx(before[:, [0, 39]])


def test_the_network_answers_as_it_was_trained() -> None:
    """Outputs of PyTorch for the same inputs, kept beside this test by `bench/learn`."""
    with np.load(Path(__file__).with_name("pixels_sample.npz")) as sample:
        given = pixels.NETWORK.answer(sample["told"], sample["places"])
        assert given == pytest.approx(sample["given"], abs=1e-4)


def test_a_rim_in_a_colour_that_cells_cannot_show_is_nearer_to_the_truth(monkeypatch: pytest.MonkeyPatch) -> None:
    """A body with a trim two pixels wide in quite another colour, its edge soft; with the network and without."""
    outer, inner = (disc(480, 270, x=240, y=135, radius=radius) for radius in (80, 78))
    cover = cv2.GaussianBlur(outer, (0, 0), 0.8)
    ground, body, trim = (flat(colour, 480, 270) for colour in (GREEN, SKIN, (0.1, 0.1, 0.45)))
    plate = ground + cover * (trim + cv2.GaussianBlur(inner, (0, 0), 0.8) * (body - trim) - ground)
    plate += np.random.default_rng(8).normal(0, 0.004, plate.shape).astype(np.float32)
    taken = survey({0: plate})
    recipe = first_look(taken).recipe
    known = measure_screen(taken, recipe.screen)
    missed = np.square(key_plate(plate, recipe, 0, known).alpha - cover).sum()
    says(0, monkeypatch)
    assert missed < 0.8 * np.square(key_plate(plate, recipe, 0, known).alpha - cover).sum()
