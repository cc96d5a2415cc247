"""What must hold of the key whatever the colours, the kind of ground and the settings."""

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from plates import BLUE, GREEN, ORANGE, SKIN, Plane, disc, flat, key_plate, shot
from upholster.core.composite.over import pack_rgba8
from upholster.core.documents.recipe import Edge, EdgeColour, Matte, Recipe
from upholster.core.documents.screen import Screen
from upholster.core.first_recipe import first_look
from upholster.core.grids import area, resize, spread, upsampled
from upholster.core.kernels import FAST, row_bands
from upholster.core.pipeline.stage import Picture
from upholster.core.screen.clean_plate import measure_screen
from upholster.core.screen.survey import survey
from upholster.core.stages.edge.choke import move_edge
from upholster.core.stages.matte.fill_holes import close_dips
from upholster.core.stages.matte.subject_colours import subject_cells, subject_colours
from upholster.core.yuv import from_rgb

Colour = tuple[float, float, float]
subjects = st.tuples(st.floats(0.3, 0.9), st.floats(0.05, 0.3), st.floats(0.05, 0.6))
few = settings(max_examples=12, deadline=None)


def first_key(plate: Plane, **changes: object) -> Picture:
    taken = survey({0: plate})
    recipe = first_look(taken).recipe.model_copy(update=changes)
    return key_plate(plate, recipe, 0, measure_screen(taken, recipe.screen))


@given(subjects, st.sampled_from([GREEN, BLUE]))
@few
def test_warm_subjects_are_solid_and_the_screen_clear(subject: Colour, screen: Colour) -> None:
    plate, alpha = shot(screen, subject)
    found = first_key(plate).alpha
    assert found[alpha > 0.999].mean() > 0.985 and found[alpha < 0.001].mean() < 0.004


@given(st.floats(0.6, 1.25), st.sampled_from([GREEN, BLUE, ORANGE]))
@few
def test_brighter_and_darker_exposures_give_the_same_matte(gain: float, screen: Colour) -> None:
    """Scaling the light of screen and subject together changes nothing of what covers what."""
    plate, _ = shot(screen, (0.3, 0.25, 0.35), noise=0.0)
    assert np.abs(first_key(plate * np.float32(gain)).alpha - first_key(plate).alpha).mean() < 0.004


@pytest.mark.parametrize("screen", [GREEN, BLUE, ORANGE])
def test_a_mirrored_plate_has_a_mirrored_matte(screen: Colour) -> None:
    plate, _ = shot(screen, (0.4, 0.2, 0.5), noise=0.0)
    mirrored = first_key(np.ascontiguousarray(plate[:, :, ::-1])).alpha[:, ::-1]
    assert np.abs(mirrored - first_key(plate).alpha).mean() < 0.002


@given(st.floats(-4, 4), st.floats(0, 3))
@few
def test_edges_out_cover_more_and_edges_in_less(shift: float, soften: float) -> None:
    alpha = cv2.GaussianBlur(disc(), (0, 0), 1)
    moved = move_edge(alpha, choke=-shift, soften=soften)
    assert moved.min() >= -1e-6 and moved.max() <= 1 + 1e-6
    assert (moved.sum() - move_edge(alpha, choke=0, soften=soften).sum()) * np.sign(shift) >= -1e-2


@given(st.integers(0, 10_000), st.floats(1, 20))
@few
def test_closing_holes_never_takes_and_never_fills_a_gap(seed: int, size: float) -> None:
    rng = np.random.default_rng(seed)
    matte = cv2.GaussianBlur(rng.random((60, 80), np.float32), (0, 0), 2)
    matte = ((matte - matte.min()) / np.ptp(matte)).astype(np.float32)
    closed = close_dips(matte, size=size, around=7)
    assert (closed >= matte - 1e-6).all() and closed.max() <= 1
    assert np.array_equal(closed[matte <= 0.5], matte[matte <= 0.5])


@pytest.mark.parametrize("stage", ["screen", "matte", "edge", "edge_colour"])
def test_a_paused_stage_is_as_if_its_settings_were_never_made(stage: str) -> None:
    plate, _ = shot()
    wild = {
        "screen": Screen(kind="screen", colour=(0.9, 0.1, 0.1)),
        "matte": Matte(black_point=0.4, white_point=0.6, specks=30, see_through=0.8),
        "edge": Edge(choke=5, soften=9, recover=1),
        "edge_colour": EdgeColour(spill=0.2, desaturate=1, balance=0),
    }[stage]
    base = Recipe(screen=Screen(kind="screen", colour=GREEN))
    paused = wild.model_copy(update={"paused": True})
    tame = type(wild)(paused=True) if stage != "screen" else paused
    known = measure_screen(survey({0: plate}), base.screen)
    found = [key_plate(plate, base.model_copy(update={stage: s}), 0, known) for s in (paused, tame)]
    assert np.array_equal(found[0].alpha, found[1].alpha) and np.array_equal(found[0].rgb, found[1].rgb)


def test_bands_of_rows_give_the_same_picture_to_the_bit() -> None:
    plate, _ = shot(noise=0.02)
    whole = first_key(plate)
    with row_bands(3):
        cut = first_key(plate)
    assert np.array_equal(whole.alpha, cut.alpha) and np.array_equal(whole.rgb, cut.rgb)


@pytest.mark.parametrize("size", [(320, 180), (960, 540), (961, 541), (64, 36)])
def test_cells_of_the_subject_cover_pictures_of_any_size(size: tuple[int, int]) -> None:
    plate = resize(shot()[0], *size)
    cells = subject_cells(plate)
    assert max(cells.shape[1:]) <= 320 and cells.mean() == pytest.approx(float(plate.mean()), abs=2e-3)


@given(st.integers(1, 9), st.integers(1, 9))
@few
def test_averages_over_whole_blocks_are_means(tall: int, wide: int) -> None:
    picture = np.random.default_rng(1).random((2, 5 * tall, 7 * wide), np.float32)
    means = picture.reshape(2, 5, tall, 7, wide).mean(axis=(2, 4))
    assert area(picture, 7, 5) == pytest.approx(means, abs=1e-5)


def test_the_subjects_colour_reaches_every_corner() -> None:
    plate, _ = shot()
    known = measure_screen(survey({0: plate}), Screen(kind="screen", colour=GREEN))
    assert known is not None
    found = subject_colours(subject_cells(plate), "screen", known)
    off = np.abs(found - np.array(SKIN, np.float32).reshape(3, 1, 1))
    # A cell on the rim may hold a sliver of the screen.
    assert off.mean() < 0.005 and off.max() < 0.08
    assert spread(flat(SKIN, 8, 8), np.zeros((8, 8), np.float32)).max() == 0
    assert upsampled(found, 33, 17).rows.shape[2] == 33


def test_what_is_no_number_is_black_in_files_and_stays_where_it_is() -> None:
    """The flags let the compiler reorder sums, but not assume that every value is a number."""
    assert not {"nnan", "ninf", "fast"} & FAST
    rgb, alpha = np.full((3, 64, 64), 0.5, np.float32), np.ones((64, 64), np.float32)
    rgb[1, 3, 5], alpha[9, 9], rgb[0, 20, 20] = np.nan, np.nan, np.inf
    packed = pack_rgba8(rgb, alpha)
    assert packed[3, 5].tolist() == [128, 0, 128, 255] and packed[9, 9, 3] == 0 and packed[20, 20, 0] == 255
    y, cb, cr = from_rgb(rgb, depth=10, matrix="bt709", code_range="full")
    assert y[3, 5] == 0 and np.unique(y).size == 3 and y.max() == 1023
    cells = area(rgb, 8, 8)
    assert np.isnan(cells[1, 0, 0]) and np.isfinite(np.delete(cells[1].ravel(), 0)).all()
