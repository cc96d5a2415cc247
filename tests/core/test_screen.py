from dataclasses import replace

import numpy as np
import pytest

from plates import BLUE, GREEN, ORANGE, disc, flat, key_plate, shot
from upholster.core.chroma import fit_lines, luma_at_chroma
from upholster.core.documents.screen import Screen
from upholster.core.first_recipe import first_look
from upholster.core.grids import area, enlarge, resize, spread, upsampled
from upholster.core.pipeline.runner import key, plate_of
from upholster.core.screen.clean_plate import measure_screen
from upholster.core.screen.light import as_lit
from upholster.core.screen.metric import chroma, to_metric
from upholster.core.screen.propose import kind_of, primary, propose
from upholster.core.screen.survey import CELLS, FRAMES, frames_to_survey, survey
from upholster.core.yuv import chroma_taps, from_rgb, to_rgb


def test_a_survey_has_first_and_last_frame_and_no_more_than_it_needs() -> None:
    assert frames_to_survey(1) == [0]
    assert frames_to_survey(5) == [0, 1, 2, 3, 4]
    chosen = frames_to_survey(1000)
    assert len(chosen) == FRAMES and chosen[0] == 0 and chosen[-1] == 999


@pytest.mark.parametrize("size", [(1, 1), (40, 3), (320, 180), (181, 320)])
def test_cells_cover_pictures_of_any_size(size: tuple[int, int]) -> None:
    plate = flat((0.2, 0.4, 0.6), *size)
    taken = survey({0: plate})
    assert max(taken.mean.shape[2:]) <= CELLS
    assert np.allclose(taken.mean[0].mean(axis=(1, 2)), (0.2, 0.4, 0.6), atol=1e-5)
    assert taken.deviation.max() < 1e-4


def test_roughness_is_the_grain_and_not_the_slope_of_the_light() -> None:
    slope = flat(GREEN) * np.linspace(0.7, 1.3, 320, dtype=np.float32)
    grain = np.random.default_rng(3).normal(0, 0.02, slope.shape).astype(np.float32)
    assert survey({0: slope}).deviation.mean() < 0.003
    assert survey({0: slope + grain}).deviation.mean() == pytest.approx(0.02, rel=0.15)


def test_the_clean_plate_goes_on_behind_the_subject() -> None:
    plates = {n: shot(frame=n, uneven=0.15)[0] for n in range(6)}
    taken = survey(plates)
    known = measure_screen(taken, Screen(kind="screen", colour=GREEN))
    assert known is not None
    truth = flat(GREEN) * (1 + 0.15 * np.linspace(-1, 1, 320, dtype=np.float32))
    found = resize(known.plate, 320, 180)
    assert np.abs(found - truth).max() < 0.03
    assert known.primary == 1 and known.noise == pytest.approx(0.004, rel=0.5)


def test_light_on_a_dark_ground_does_not_become_ground() -> None:
    glow = disc(radius=40)
    plates = {n: flat((0.02, 0.02, 0.02)) + glow * np.float32(0.5) for n in range(4)}
    known = measure_screen(survey(plates), Screen(kind="dark", colour=(0.02, 0.02, 0.02)))
    assert known is not None and known.plate.max() < 0.03


def test_a_screen_without_a_colour_is_not_measured() -> None:
    taken = survey({0: flat(GREEN)})
    assert measure_screen(taken, Screen(kind="screen")) is None
    assert measure_screen(taken, Screen(kind="none", colour=GREEN)) is None


def test_kinds_that_single_colours_suggest() -> None:
    assert kind_of(GREEN) == kind_of(BLUE) == "screen"
    assert kind_of(ORANGE) == kind_of((0.7, 0.2, 0.7)) == "colour"
    assert kind_of((0.03, 0.02, 0.04)) == "dark" and kind_of((0.95, 0.96, 0.93)) == "light"
    assert primary((GREEN, (0.2, 0.7, 0.1))) == 1 and primary((BLUE,)) == 2


def test_the_subject_at_the_bottom_does_not_disturb_the_proposal() -> None:
    plate = flat(GREEN)
    plate[:, 100:, 60:260] = np.array([0.8, 0.5, 0.4], np.float32)[:, None, None]
    proposal = propose(survey({0: plate}))
    assert proposal.screen.kind == "screen"
    assert proposal.screen.colour == pytest.approx(GREEN, abs=0.01)


def test_the_first_look_says_what_it_measured() -> None:
    taken = survey({n: shot(frame=n, uneven=0.2)[0] for n in range(4)})
    look = first_look(taken)
    assert 2 <= len(look.sentences) <= 4
    assert all(sentence.endswith(".") for sentence in look.sentences)
    assert any("stops" in sentence for sentence in look.sentences)


@pytest.mark.parametrize(
    ("width", "height", "closed"), [(960, 540, 12.0), (1080, 1920, 24.0), (480, 270, 8.0), (7680, 4320, 60.0)]
)
def test_holes_are_closed_by_the_size_of_the_plate(width: int, height: int, closed: float) -> None:
    taken = survey({0: shot()[0]})._replace(width=width, height=height)
    assert first_look(taken).recipe.matte.fill_holes == closed


def test_distances_count_colour_more_than_light() -> None:
    grey = to_metric(np.array([[0.5], [0.5], [0.5]], np.float32))
    lighter = to_metric(np.array([[0.6], [0.6], [0.6]], np.float32))
    redder = to_metric(np.array([[0.6], [0.5], [0.5]], np.float32))
    assert np.linalg.norm(redder - grey) > 2 * np.linalg.norm(lighter - grey)
    assert float(chroma(np.array([[0.4], [0.4], [0.4]], np.float32))[0]) == pytest.approx(0, abs=1e-6)


def test_spreading_keeps_what_is_known_and_fills_the_rest_smoothly() -> None:
    values = np.zeros((1, 32, 48), np.float32)
    weight = np.zeros((32, 48), np.float32)
    values[0, :, :8], weight[:, :8] = 0.2, 1
    values[0, :, 40:], weight[:, 40:] = 0.8, 1
    filled = spread(values, weight)[0]
    assert np.allclose(filled[:, :8], 0.2) and np.allclose(filled[:, 40:], 0.8)
    assert filled.min() >= 0.2 and filled.max() <= 0.8
    assert 0.3 < filled[16, 24] < 0.7
    assert not spread(values, np.zeros_like(weight)).any()


def test_grids_are_read_between_their_centres() -> None:
    cells = np.arange(4, dtype=np.float32).reshape(1, 1, 4)
    laid = upsampled(cells, 8, 3)
    assert laid.rows[0, 0] == pytest.approx([0, 0.25, 0.75, 1.25, 1.75, 2.25, 2.75, 3])
    assert area(enlarge(cells, 8, 2), 4, 1) == pytest.approx(cells, abs=0.13)


def test_spline_taps_sum_to_one_and_pass_through_sited_samples() -> None:
    """Keys 1981: the kernel interpolates, so at a sample it is that sample alone."""
    taps = chroma_taps(16, 8, 0.0)
    assert np.allclose(taps.weight.sum(axis=1), 1)
    assert np.allclose(taps.weight[4], (0, 1, 0, 0)) and taps.source[4, 1] == 2


def test_guided_chroma_finds_an_edge_that_subsampling_blurred() -> None:
    """He, Sun and Tang 2013, section 5.4: across a two-colour edge the guide recovers it."""
    cover = disc(radius=40)
    rgb = flat((0.15, 0.6, 0.2)) * (1 - cover) + flat((0.3, 0.1, 0.1)) * cover
    y, cb, cr = from_rgb(rgb, depth=10, matrix="bt709", code_range="limited")

    def halved(c: np.ndarray) -> np.ndarray:
        return np.rint(c.reshape(90, 2, 160, 2).mean(axis=(1, 3))).astype(np.uint16)

    found = to_rgb(y, halved(cb), halved(cr), depth=10, matrix="bt709", code_range="limited", siting="center")
    plain = rgb.copy()
    for c, small in ((0, cr), (2, cb)):
        plain[c] = enlarge(halved(small).astype(np.float32)[None], 320, 180)[0]
    rim = (cover > 0.02) & (cover < 0.98)
    assert np.abs(found - rgb)[:, rim].mean() < 0.02
    assert np.abs(found - rgb)[:, ~rim].mean() < 0.003


def test_flat_luma_guides_nothing() -> None:
    luma = np.full((20, 20), 0.5, np.float32)
    stored = np.random.default_rng(0).normal(0, 0.1, (10, 10)).astype(np.float32)
    (line,) = fit_lines(luma_at_chroma(luma, (10, 10), (False, True)), stored)
    assert np.abs(line.slope).max() < 1e-4
    assert line.offset == pytest.approx(stored, abs=1e-4)


@pytest.mark.parametrize("gain", [0.5, 0.8, 1.2])
def test_exposure_changes_nothing(gain: float) -> None:
    """Shade scales plate and screen alike, so the matte must stay."""
    plates = {n: shot(frame=n, noise=0)[0] for n in range(4)}
    dimmed = {n: (p * np.float32(gain)).astype(np.float32) for n, p in plates.items()}
    mattes = []
    for some in (plates, dimmed):
        taken = survey(some)
        screen = propose(taken).screen
        recipe = first_look(taken).recipe
        recipe = recipe.model_copy(
            update={"matte": recipe.matte.model_copy(update={"black_point": 0.02, "white_point": 0.98})}
        )
        mattes.append(key_plate(some[2], recipe, 2, measure_screen(taken, screen)).alpha)
    assert np.abs(mattes[0] - mattes[1]).mean() < 2e-3


def test_a_second_cloth_is_screen_where_it_is_large_and_stays() -> None:
    """A floor of another green is taken out; a badge of the same green on it is not learnt as screen."""
    floor = (0.10, 0.40, 0.15)
    plates = {}
    for n in range(4):
        plate, _ = shot(frame=n, noise=0.004)
        plate[:, 140:] = flat(floor)[:, 140:]
        plate[:, 20:26, 20:26] = flat(floor)[:, 20:26, 20:26]
        plates[n] = plate
    known = measure_screen(survey(plates), Screen(kind="screen", colour=GREEN))
    assert known is not None
    found = resize(known.plate, 320, 180)
    assert np.abs(found[:, 150:] - flat(floor)[:, 150:]).max() < 0.02
    assert np.abs(found[:, :120, :60] - flat(GREEN)[:, :120, :60]).max() < 0.02


def _mixed(below: tuple[float, float, float], over: float, cover: float) -> np.ndarray:
    return flat(below) * np.float32(1 - cover) + np.float32(over * cover)


@pytest.mark.parametrize("left", [80, 180])
@pytest.mark.parametrize("over", [0.3, 0.6, 0.9])
def test_a_wide_veil_that_never_moves_is_not_taken_for_screen(left: int, over: float) -> None:
    """Nothing in its middle says so: it is the screen's hue, evenly paler, from one of its edges to the other."""
    plates = {}
    for n in range(3):
        plate, _ = shot(frame=n, noise=0.003)
        veiled = plate * np.float32(0.75) + np.float32(0.25 * over)
        plate[:, :150, left : left + 110] = veiled[:, :150, left : left + 110]
        plates[n] = plate
    known = measure_screen(survey(plates), Screen(kind="screen", colour=GREEN))
    assert known is not None
    found = resize(known.plate, 320, 180)
    assert np.abs(found[:, 20:130, left + 10 : left + 100] - flat(GREEN)[:, :110, :90]).max() < 0.03


def test_what_a_grey_thing_passes_before_is_still_seen_on_the_other_frames() -> None:
    """Seen through a frame, on average over time the screen is paler where it went: it is no veil for that."""
    folds = 1 + 0.15 * np.sin(np.arange(320, dtype=np.float32) / 5)
    window = np.s_[:, 40:140, 90:230]
    plates = {}
    for n in range(6):
        cover = disc(x=110 + 20 * n, radius=28)
        seen = (flat((0.4, 0.4, 0.4)) * cover + flat(GREEN) * folds * (1 - cover)).astype(np.float32)
        plate = (flat(GREEN) * folds).astype(np.float32)
        plate[:, 20:160, 70:250] = np.float32([0.8, 0.3, 0.2])[:, None, None]
        plate[window] = seen[window]
        plates[n] = plate
    known = measure_screen(survey(plates), Screen(kind="screen", colour=GREEN))
    assert known is not None
    found = resize(known.plate, 320, 180)
    assert np.abs(found - flat(GREEN) * folds)[:, 50:130, 100:220].max() < 0.03


def test_a_pale_floor_and_a_dark_corner_are_screen() -> None:
    floor, corner = _mixed(GREEN, 0.6, 0.2), tuple(0.5 * v for v in GREEN)
    plates = {}
    for n in range(3):
        plate, _ = shot(frame=n, noise=0.003)
        plate[:, 140:] = floor[:, 140:]
        plate[:, :40, :60] = flat(corner)[:, :40, :60]
        plates[n] = plate
    known = measure_screen(survey(plates), Screen(kind="screen", colour=GREEN))
    assert known is not None
    found = resize(known.plate, 320, 180)
    assert np.abs(found[:, 150:, 20:300] - floor[:, 150:, 20:300]).max() < 0.03
    assert np.abs(found[:, 5:30, 5:45] - flat(corner)[:, 5:30, 5:45]).max() < 0.03


def test_dark_glass_of_the_screens_hue_is_not_screen() -> None:
    plates = {}
    for n in range(3):
        plate, _ = shot(frame=n, noise=0.003)
        plate[:, 50:120, 230:290] *= np.float32(0.45)
        plates[n] = plate
    known = measure_screen(survey(plates), Screen(kind="screen", colour=GREEN))
    assert known is not None
    found = resize(known.plate, 320, 180)
    assert np.abs(found[:, 60:110, 240:280] - flat(GREEN)[:, 60:110, 240:280]).max() < 0.03


@pytest.mark.parametrize(("grey", "kind"), [(0.95, "light"), (0.72, "light"), (0.45, "none")])
def test_a_pale_wall_is_a_light_ground(grey: float, kind: str) -> None:
    ink = flat((grey, grey, grey * 0.98)) * (1 - 0.8 * disc(radius=40))
    assert propose(survey({0: ink})).screen.kind == kind


def test_a_pale_wall_with_something_lighter_before_it_is_none() -> None:
    cover = disc(radius=50)
    plate = flat((0.7, 0.7, 0.69)) * (1 - cover) + flat((0.95, 0.95, 0.95)) * cover
    assert propose(survey({0: plate})).screen.kind == "none"


def test_light_that_drifts_leaves_the_screen_clear_and_the_subject_solid() -> None:
    """Lamps that fade by a third over the shot: a single clean plate would leave haze at either end."""
    gains = np.linspace(1.0, 0.66, 5)
    plates = {n: shot(frame=n, noise=0.003)[0] * np.float32(gain) for n, gain in enumerate(gains)}
    recipe = first_look(survey(plates)).recipe
    known = measure_screen(survey(plates), recipe.screen)
    assert known is not None
    assert not known.steady
    for n, plate in plates.items():
        cover = shot(frame=n, noise=0.0)[1]
        keyed, alone = (key(plate_of(plate), recipe, n, k).alpha for k in (known, replace(known, steady=True)))
        clear = cover < 0.001
        assert keyed[clear].max() < 0.02
        assert keyed[cover > 0.999].min() > 0.98
        # Without it, haze would stay.
        assert n in (1, 2) or alone[clear].mean() > 100 * keyed[clear].mean()


def test_light_on_one_side_of_a_screen_is_told_there() -> None:
    ramp = np.linspace(1.0, 0.7, 320, dtype=np.float32)
    clean, cells = flat(GREEN)[:, ::2, ::2].copy(), (flat(GREEN) * ramp).astype(np.float32)
    lit = as_lit(clean, cells)
    assert np.abs(lit - cells[:, ::2, ::2]).max() < 0.03


def test_steady_light_is_left_alone_whatever_stands_in_it() -> None:
    plates = {n: shot(frame=n, noise=0.01)[0] for n in range(3)}
    known = measure_screen(survey(plates), Screen(kind="screen", colour=GREEN))
    assert known is not None
    assert known.steady
    for thing in ((0.05, 0.05, 0.05), (0.7, 0.7, 0.7), (0.2, 0.5, 0.3), (0.0, 0.0, 0.0)):
        assert as_lit(known.plate, flat(thing)) is known.plate
