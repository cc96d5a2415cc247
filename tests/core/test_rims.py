"""The network that corrects colours along edges: where it is asked, what it is told, and what comes of its answers."""

from pathlib import Path

import cv2
import numpy as np
import pytest

from plates import BLUE, GREEN, SKIN, disc, flat, key_plate, known_of, shot
from upholster.core.documents.recipe import EdgeColour
from upholster.core.first_recipe import first_look
from upholster.core.grids import upsampled
from upholster.core.matting import rims
from upholster.core.matting.described import basis
from upholster.core.places import BLOCK
from upholster.core.screen.clean_plate import measure_screen
from upholster.core.screen.survey import survey


def ramp(width: int = 40, height: int = 22) -> np.ndarray:
    """Coverage that rises from left to right over the middle third."""
    across = np.clip((np.arange(width, dtype=np.float32) - width / 3) / (width / 3), 0, 1)
    return np.ascontiguousarray(np.broadcast_to(across, (height, width)))


def grids(width: int, height: int) -> tuple:
    return tuple(upsampled(flat(colour, 8, 6), width, height) for colour in (GREEN, SKIN))


def says(departure: tuple[float, float, float], monkeypatch: pytest.MonkeyPatch) -> None:
    given = np.repeat(np.float32(departure), BLOCK**2)
    monkeypatch.setattr(rims.NETWORK, "answer", lambda told, places: np.tile(given, (len(told), 1)))


def corrected(cover: np.ndarray, amount: float = 1.0) -> np.ndarray:
    """A grey subject's colours, corrected."""
    height, width = cover.shape
    rgb = np.full((3, height, width), 0.5, np.float32)
    plate = flat(GREEN, width, height) + cover * (rgb - flat(GREEN, width, height))
    rims.corrected(rgb, plate, cover, *grids(width, height), 0.01, amount, (0.0, 1.0))
    return rgb


def test_it_is_asked_where_coverage_is_neither_clear_nor_solid_around() -> None:
    cover = np.zeros((21, 21), np.float32)
    cover[:, 10:] = 1
    assert rims.asked(cover, 1)[0][0].tolist() == [0, 0, 0, 0, 1, 1, 0, 0, 0, 0, 0]
    cover[:, 8:12] = 0.5
    assert rims.asked(cover, 1)[0][10].tolist() == [0, 0, 0, 1, 1, 1, 1, 0, 0, 0, 0]
    for nothing in (0, 1):
        assert not rims.asked(np.full((21, 19), nothing, np.float32), 1)[0].any()


def test_of_large_pictures_it_is_asked_about_larger_pixels() -> None:
    cover = np.zeros((20, 40), np.float32)
    cover[:, 17:] = 1
    # The block of 16 to 19 holds the edge.
    assert rims.asked(cover, 2)[0][0].tolist() == [0, 0, 0, 1, 1, 1, 0, 0, 0, 0]


def test_where_much_around_is_half_covered_it_is_not_heard() -> None:
    """By hand: at an edge in full; within a veil not at all; and less where the veil begins."""
    cover = np.zeros((120, 200), np.float32)
    cover[:, 40:42], cover[:, 42:] = 0.5, 1
    assert (rims.asked(cover, 1)[1] == 1).all()
    cover[:, 80:] = 0.5
    where, heard = rims.asked(cover, 1)
    assert (heard[:, 20] == 1).all() and (heard[:, 60:] == 0).all()
    # Seven columns of fifteen are blocks of the veil with no others beside them.
    assert where[30, 40] and heard[30, 40] == pytest.approx((0.5 - 7 / 15) / 0.3, abs=1e-5)


@pytest.mark.parametrize(("width", "height", "size"), [(40, 22, 1), (41, 23, 1), (40, 24, 2), (43, 23, 2)])
def test_what_is_told_of_a_block(width: int, height: int, size: int) -> None:
    """Against NumPy, of single blocks; beyond the picture its last pixels stand for others."""
    draw = np.random.default_rng(6)
    rgb, plate = draw.random((2, 3, height, width), np.float32)
    cover = draw.random((height, width), np.float32)
    screen, subject = flat(BLUE, 8, 6), flat(SKIN, 8, 6)
    places = np.argwhere(rims.asked(cover, size)[0]).astype(np.int32)
    over = upsampled(screen, width, height), upsampled(subject, width, height)
    told = rims.told(rgb, plate, cover, *over, places, size, 0.02)
    to = basis(screen)[:, :, 0, 0]
    luma = np.array([0.2126, 0.7152, 0.0722]) @ BLUE
    strength = np.hypot(BLUE[2] - luma, BLUE[0] - luma)

    def pixels_of(planes: np.ndarray, j: int, i: int) -> np.ndarray:
        rows, columns = (2 * size * at + np.arange(2 * size) for at in (j, i))
        block = planes[:, np.minimum(rows, height - 1)][:, :, np.minimum(columns, width - 1)]
        return cv2.resize(block.transpose(1, 2, 0), (2, 2), interpolation=cv2.INTER_AREA).reshape(4, -1).T

    for n in (0, len(places) // 2, len(places) - 1):
        own = to @ (pixels_of(rgb, *places[n]) - screen[:, 0, :1])
        grey, aside, light = to @ (pixels_of(plate, *places[n]) - screen[:, 0, :1])
        near = to @ (subject - screen)[:, 0, 0]
        covers = pixels_of(cover[None], *places[n])[0]
        expected = [*own.ravel(), *covers, *grey, *light, aside.mean(), *near, strength, luma, 0.02 / strength]
        assert told[n] == pytest.approx(expected, abs=1e-4)


@pytest.mark.parametrize(("width", "height"), [(40, 22), (41, 23), (3, 2), (1, 1), (1990, 20)])
def test_without_a_word_of_the_network_colours_stay_as_they_were(
    width: int, height: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    says((0, 0, 0), monkeypatch)
    assert (corrected(ramp(width, height)) == 0.5).all()


@pytest.mark.parametrize("width", [41, 2000])
def test_what_it_says_is_a_departure_from_the_screen_and_stays_within_bounds(
    width: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    cover = np.clip((np.arange(width, dtype=np.float32) - width // 2 + 4) / 8, 0, 1)
    cover = np.ascontiguousarray(np.broadcast_to(cover, (23, width)))
    says((0.1, -0.05, 0.2), monkeypatch)
    more = corrected(cover)[:, 10, width // 2] - 0.5
    # Of light, by half.
    assert basis(flat(GREEN, 1, 1))[:, :, 0, 0] @ more == pytest.approx([0.1, -0.05, 0.1], abs=1e-5)
    assert (corrected(cover)[:, :, [0, -1]] == 0.5).all()
    assert corrected(cover, 0.5)[:, 10, width // 2] == pytest.approx(0.5 + more / 2, abs=1e-5)
    for light, bound in ((9, 1), (-9, 0)):
        says((0, 0, light), monkeypatch)
        assert (corrected(cover)[:, 10, width // 2] == bound).all()


def test_it_brings_nothing_nearer_to_the_screens_hue_than_the_subject_nearby_is(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    """Against the basis: beside skin a grey pixel stays grey, beside a dull green it is no further than that."""
    cover = np.ascontiguousarray(np.broadcast_to(np.clip((np.arange(41, dtype=np.float32) - 16) / 8, 0, 1), (23, 41)))
    says((-9, 0, 0), monkeypatch)
    skin = np.array(SKIN) - GREEN
    away = basis(flat(GREEN, 1, 1))[0, :, 0, 0]
    found = corrected(cover)[:, 10, 20]
    # Skin is further from the screen's hue than grey is.
    assert away @ skin > away @ (0.5 - np.array(GREEN)) and found == pytest.approx([0.5] * 3)
    monkeypatch.setitem(globals(), "SKIN", (0.3, 0.55, 0.3))
    assert away @ (corrected(cover)[:, 10, 20] - GREEN) == pytest.approx(away @ (np.array(SKIN) - GREEN), abs=1e-4)


def test_it_keeps_still_as_the_screen_is_left_in_and_comes_before_the_rim_loses_its_colour(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    plate, _ = shot()
    recipe, known = known_of([plate])

    def keyed(departure: tuple[float, float, float], **settings: float) -> np.ndarray:
        says(departure, monkeypatch)
        chosen = recipe.model_copy(update={"edge_colour": EdgeColour(**settings)})
        return key_plate(plate, chosen, 0, known).rgb

    far = (0.0, 0.2, 0.0)
    whole = np.abs(keyed(far) - keyed((0, 0, 0))).max()
    assert whole > 0.05
    assert np.abs(keyed(far, spill=0.5) - keyed((0, 0, 0), spill=0.5)).max() == pytest.approx(whole / 2, rel=0.02)
    for left_in in ({"unmix": 0.0}, {"spill": 0.0}):
        assert (keyed(far, **left_in) == keyed((0, 0, 0), **left_in)).all()
    rim = key_plate(plate, recipe, 0, known).cover
    assert np.ptp(keyed(far, desaturate=1), axis=0)[(rim > 0.1) & (rim < 0.5)].max() < 1e-4


def test_a_stray_value_that_is_no_number_troubles_its_surroundings_only() -> None:
    cover = ramp()
    rgb = np.full((3, *cover.shape), 0.5, np.float32)
    plate = rgb.copy()
    plate[:, 11, 20] = rgb[:, 11, 20] = np.nan
    rims.corrected(rgb, plate, cover, *grids(40, 22), 0.01, 1.0, (0.0, 1.0))
    stray = np.isnan(rgb).any(axis=0)
    assert not stray[np.arange(22) != 11].any() and stray.sum() <= 1


def test_the_network_answers_as_it_was_trained() -> None:
    """Outputs of PyTorch for the same inputs, kept beside this test by `bench/learn`."""
    with np.load(Path(__file__).with_name("rims_sample.npz")) as sample:
        given = rims.NETWORK.answer(sample["told"], sample["places"])
        assert given == pytest.approx(sample["given"], abs=1e-4)


@pytest.mark.parametrize("colour", [(0.85, 0.30, 0.16), (0.55, 0.20, 0.60)])
def test_an_edge_whose_chroma_was_averaged_keeps_its_colour(
    colour: tuple[float, float, float], monkeypatch: pytest.MonkeyPatch
) -> None:
    """With the network and without; the chroma of the plate is that of two pixels by two, as video keeps it."""
    cover = cv2.GaussianBlur(disc(480, 270, x=240, y=135, radius=80), (0, 0), 0.8)
    ground, subject = flat(GREEN, 480, 270), flat(colour, 480, 270)
    plate = ground + cover * (subject - ground)
    luma = np.tensordot(np.float32([0.2126, 0.7152, 0.0722]), plate, 1)
    chroma = [cv2.resize(c - luma, (240, 135), interpolation=cv2.INTER_AREA) for c in plate]
    plate = luma + np.stack([cv2.resize(c, (480, 270)) for c in chroma])
    plate += np.random.default_rng(8).normal(0, 0.004, plate.shape).astype(np.float32)
    taken = survey({0: plate})
    recipe = first_look(taken).recipe
    known = measure_screen(taken, recipe.screen)
    edge = (cover > 0.3) & (cover < 0.999)

    def missed() -> float:
        return float(np.abs(key_plate(plate, recipe, 0, known).rgb - subject).mean(axis=0)[edge].mean())

    found = missed()
    says((0, 0, 0), monkeypatch)
    assert found < 0.9 * missed()
