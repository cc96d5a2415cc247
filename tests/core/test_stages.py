"""Each stage of the key on pictures small enough to know the answer."""

import colorsys
from collections.abc import Sequence

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from plates import GREEN, ORANGE, SKIN, Plane, disc, flat, key_plate, shot
from upholster.core import instruments
from upholster.core.documents.recipe import Edge, EdgeColour, Matte, Qualifier, Recipe, Region
from upholster.core.documents.screen import Sample, Screen
from upholster.core.first_recipe import first_look
from upholster.core.grids import area, upsampled
from upholster.core.matting import rims
from upholster.core.pipeline.runner import around
from upholster.core.screen.clean_plate import ScreenKnowledge, measure_screen
from upholster.core.screen.survey import survey
from upholster.core.stages.edge.edge_colour import desaturated, edge_colour
from upholster.core.stages.edge.recover import recover_detail
from upholster.core.stages.matte.edge_smoothing import smooth_edges
from upholster.core.stages.matte.see_through import least_coverage
from upholster.core.stages.matte.specks import remove_specks
from upholster.core.stages.matte.subject_colours import subject_colours
from upholster.core.stages.matte.temporal_denoise import denoise
from upholster.core.stages.screen.joined import keep_unjoined
from upholster.core.stages.screen.qualifier import qualify

Colour = tuple[float, float, float]

share = st.floats(0, 1)

#: Holes are closed in codes of 16 bits; nothing is told apart more finely.
CODE = 1.2 / 65535


def keyed(plate: Plane, recipe: Recipe, around: Sequence[Plane] = ()) -> Plane:
    known = measure_screen(survey({0: plate}), recipe.screen)
    return key_plate(plate, recipe, 0, known, around=around).alpha


# Even surfaces near the screen's colour


@pytest.mark.parametrize(
    ("screen", "subject"),
    [
        (GREEN, (0.30, 0.42, 0.22)),
        (GREEN, (0.45, 0.55, 0.30)),
        ((0.12, 0.22, 0.62), (0.42, 0.47, 0.56)),
        (ORANGE, (0.45, 0.38, 0.30)),
    ],
)
def test_an_even_surface_of_another_colour_is_solid_even_near_the_screens(screen: Colour, subject: Colour) -> None:
    plate, truth = shot(screen, subject)
    taken = survey({0: plate})
    alpha = key_plate(plate, recipe := first_look(taken).recipe, 0, measure_screen(taken, recipe.screen)).alpha
    assert np.quantile(alpha[truth > 0.995], 0.01) > 0.95
    assert alpha[truth < 0.005].max() < 0.06


@pytest.mark.parametrize(("shade", "haze"), [(0.75, 0.2), (0.6, 0.4)])
def test_a_moving_shadow_on_the_screen_is_not_taken_for_a_surface(shade: float, haze: float) -> None:
    plates = []
    for n in range(6):
        shadow = cv2.GaussianBlur(disc(x=60 + 20 * n, radius=26), (0, 0), 4)
        ground = flat(GREEN) * (1 - (1 - shade) * shadow)
        alpha = disc(x=230, radius=40)
        plates.append((flat(SKIN) * alpha + ground * (1 - alpha)).astype(np.float32))
    taken = survey(dict(enumerate(plates)))
    recipe = first_look(taken).recipe
    alpha = key_plate(plates[2], recipe, 2, measure_screen(taken, recipe.screen)).alpha
    assert alpha[60:120, 60:140].max() < haze


# See-through


def test_the_least_coverage_is_what_emission_and_absorption_need() -> None:
    screen = flat((0.4, 0.5, 0.6), 8, 4)
    veil = 0.3
    for own in ((1.0, 1.0, 1.0), (0.0, 0.0, 0.0), (1.0, 0.0, 0.5)):
        plate = flat(own, 8, 4) * np.float32(veil) + screen * np.float32(1 - veil)
        assert least_coverage(plate, upsampled(screen, 8, 4)) == pytest.approx(np.full((4, 8), veil), abs=1e-5)
    # A colour within the range needs less than it has: it is a lower bound.
    plate = flat((0.5, 0.5, 0.5), 8, 4) * np.float32(veil) + screen * np.float32(1 - veil)
    assert (least_coverage(plate, upsampled(screen, 8, 4)) < veil).all()


@given(st.lists(share, min_size=2, max_size=2))
@settings(max_examples=15, deadline=None)
def test_more_see_through_never_makes_anything_more_solid(amounts: list[float]) -> None:
    low, high = sorted(amounts)
    plate, _ = shot(subject=(0.42, 0.46, 0.21))
    recipe = Recipe(screen=Screen(kind="screen", colour=GREEN))
    less = keyed(plate, recipe.model_copy(update={"matte": Matte(see_through=low)}))
    more = keyed(plate, recipe.model_copy(update={"matte": Matte(see_through=high)}))
    assert (more <= less + CODE).all()


# Regions


def test_dark_parts_inside_a_subject_on_black_survive_a_joined_region() -> None:
    plate = flat((0.01, 0.01, 0.01)) + flat((0.7, 0.6, 0.5)) * disc(radius=60)
    plate[:, 80:100, 150:170] = 0.01
    ground = Screen(kind="dark", colour=(0.01, 0.01, 0.01))
    everything = keyed(plate, Recipe(screen=ground, matte=Matte(opacity=1.0)))
    joined = keyed(plate, Recipe(screen=ground, matte=Matte(opacity=1.0), region=Region(joined=True, reach=0.3)))
    assert everything[90, 160] < 0.05 and everything[5, 5] < 0.05
    assert joined[90, 160] == 1 and joined[5, 5] < 0.05


def test_a_region_takes_only_what_the_chosen_place_touches() -> None:
    pulled = np.zeros((40, 60), np.float32)
    pulled[:, 28:32] = 1
    left = keep_unjoined(pulled, [(10, 20, 2)], reach=0.5, step=0.1)
    assert (left[:, :26] == 0).all() and (left[:, 34:] == 1).all()
    rim = keep_unjoined(pulled, [], reach=0.5, step=0.1)
    assert (rim[:, 34:] == 0).all()
    nothing = keep_unjoined(pulled, [(30, 20, 1)], reach=0.5, step=0.1)
    assert (nothing == 1).all()
    assert (keep_unjoined(pulled, [(500, 500, 1)], reach=0.5, step=1) == 1).all()


@given(st.lists(share, min_size=2, max_size=2), st.integers(0, 1000))
@settings(max_examples=25, deadline=None)
def test_a_region_grows_with_its_reach(reaches: list[float], seed: int) -> None:
    low, high = sorted(reaches)
    rough = np.random.default_rng(seed).uniform(0, 1, (6, 8)).astype(np.float32)
    pulled = cv2.resize(rough, (80, 60), interpolation=cv2.INTER_CUBIC).clip(0, 1)
    less = keep_unjoined(pulled, [(40, 30, 6)], reach=low, step=1)
    more = keep_unjoined(pulled, [(40, 30, 6)], reach=high, step=1)
    assert (more <= less).all() and (more >= pulled).all()


def test_samples_are_the_places_a_region_goes_out_from() -> None:
    plate = flat(GREEN)
    plate[:, :, 150:170] = np.array(SKIN, np.float32)[:, None, None]
    sample = Sample(frame=0, x=40, y=90, colour=GREEN)
    recipe = Recipe(screen=Screen(kind="screen", colour=GREEN, samples=(sample,)), region=Region(joined=True))
    alpha = keyed(plate, recipe)
    assert alpha[:, :140].max() < 0.05 and alpha[:, 180:].min() == 1


# Qualifiering


@given(st.tuples(share, share, share))
@settings(max_examples=60, deadline=None)
def test_hue_saturation_and_lightness_are_those_of_the_standard_library(colour: Colour) -> None:
    """Checked against Python's colorsys.rgb_to_hls: a pixel just inside a range goes, one just outside stays."""
    hue, lightness, saturation = colorsys.rgb_to_hls(*colour)
    plate, pulled = flat(colour, 4, 2), np.zeros((2, 4), np.float32)
    everything = {
        "hue": 180.0,
        "saturation_low": 0.0,
        "saturation_high": 1.0,
        "lightness_low": 0.0,
        "lightness_high": 1.0,
        "softness": 0.01,
    }

    def kept(**only: float) -> float:
        return float(qualify(pulled, plate, GREEN, **(everything | only))[0, 0])

    assert kept() == 0
    if 0.1 < lightness < 0.9:
        assert kept(lightness_low=lightness + 0.05) == 1 and kept(lightness_low=lightness - 0.05) == 0
        assert kept(lightness_high=lightness - 0.05) == 1 and kept(lightness_high=lightness + 0.05) == 0
        if 0.1 < saturation < 0.9:
            assert kept(saturation_low=saturation + 0.05) == 1 and kept(saturation_low=saturation - 0.05) == 0
            assert kept(saturation_high=saturation - 0.05) == 1 and kept(saturation_high=saturation + 0.05) == 0
        away = abs((hue - colorsys.rgb_to_hls(*GREEN)[0] + 0.5) % 1 - 0.5) * 360
        if saturation > 0.1 and 8 < away < 172:
            assert kept(hue=away - 5) == 1 and kept(hue=away + 5) == 0


def test_a_flat_graphic_keeps_what_has_another_hue() -> None:
    plate = flat((0.2, 0.7, 0.3))
    plate[:, 60:120, 60:120] = np.array((0.2, 0.5, 0.7), np.float32)[:, None, None]
    recipe = Recipe(screen=Screen(kind="screen", colour=(0.2, 0.7, 0.3)), qualifier=Qualifier(hue=30))
    alpha = keyed(plate, recipe)
    assert alpha[70:110, 70:110].min() > 0.99 and alpha[:40].max() < 0.05


def test_the_rim_loses_its_colour_as_it_is_not_covered() -> None:
    cover = np.tile(np.linspace(0, 1, 64, dtype=np.float32), (8, 1))

    def coloured(amount: float) -> Plane:
        rgb = flat((0.2, 0.7, 0.3), 64, 8)
        desaturated(rgb, cover, amount)
        return np.ptp(rgb, axis=0)[0]

    assert np.allclose(coloured(0), 0.5, atol=1e-5)
    assert coloured(1)[:32].max() < 1e-5 and coloured(1)[-1] == pytest.approx(0.5, abs=1e-5)
    assert (np.diff(coloured(0.5)) >= -1e-6).all()


# Specks and detail


def test_specks_go_and_strands_stay() -> None:
    matte = np.zeros((60, 80), np.float32)
    matte[10:13, 10:13] = 0.7
    matte[30, 20:60] = 0.4
    matte[40:60, 30:60] = 1
    cleaned = remove_specks(matte, size=6)
    assert cleaned[10:13, 10:13].max() == 0
    assert (cleaned[30, 20:60] == np.float32(0.4)).all() and (cleaned[40:, 30:60] == 1).all()
    assert remove_specks(matte, size=0) is matte


@given(st.lists(st.floats(0, 30), min_size=2, max_size=2), st.integers(0, 99))
@settings(max_examples=20, deadline=None)
def test_larger_specks_take_more_away_and_never_add(sizes: list[float], seed: int) -> None:
    low, high = sorted(sizes)
    matte = (np.random.default_rng(seed).uniform(0, 1, (40, 60)) > 0.8).astype(np.float32)
    less, more = remove_specks(matte, size=low), remove_specks(matte, size=high)
    assert (more <= less).all() and (less <= matte).all()


def test_detail_comes_back_near_the_subject_only() -> None:
    pulled = disc(radius=40)
    pulled[90, 205:225] = 0.15
    pulled[20, 20:40] = 0.15
    matte = np.where(pulled < 0.2, 0, pulled).astype(np.float32)
    found = recover_detail(matte, pulled, amount=1.0, step=1.0)
    assert found[90, 210] > 0.1 and found[20, 20:40].max() < 0.01
    assert (found >= matte).all() and (found <= np.maximum(matte, pulled) + 1e-6).all()


# Steadiness


def test_still_grain_is_calmed_and_nothing_that_moves_lags() -> None:
    rng = np.random.default_rng(5)
    frames = []
    for n in range(3):
        alpha = disc(x=100 + 14 * n, radius=30)
        clean = flat(SKIN) * alpha + flat(GREEN) * (1 - alpha)
        frames.append((clean + rng.normal(0, 0.012, clean.shape)).astype(np.float32))
    clean = flat(SKIN) * (alpha := disc(x=114, radius=30)) + flat(GREEN) * (1 - alpha)
    calmed = denoise(frames[1], [frames[0], frames[2]], noise=0.012, amount=1.0)
    still = np.s_[:, 20:40, 250:310]
    assert np.std(calmed[still] - clean[still]) < 0.72 * np.std(frames[1][still] - clean[still])
    moved = np.abs(disc(x=100, radius=30) - alpha) > 0.5
    # The grain itself is 0.0096 on average; a trail would be far more.
    assert np.abs(calmed - clean)[:, moved].mean() < 0.0098
    assert denoise(frames[1], [], noise=0.012, amount=1.0) is frames[1]


def test_steadying_halves_the_chatter_of_a_still_matte() -> None:
    rng = np.random.default_rng(9)
    alpha = cv2.GaussianBlur(disc(radius=50), (0, 0), 1.5)
    clean = flat(SKIN) * alpha + flat(GREEN) * (1 - alpha)
    plates = [(clean + rng.normal(0, 0.02, clean.shape)).astype(np.float32) for _ in range(6)]
    taken = survey(dict(enumerate(plates)))
    recipe = first_look(taken).recipe
    known = measure_screen(taken, recipe.screen)

    def chatter(amount: float) -> float:
        told = recipe.model_copy(update={"matte": recipe.matte.model_copy(update={"temporal_denoise": amount})})
        assert around(told, 0, known) == (amount > 0)
        mattes = [
            key_plate(plates[n], told, n, known, around=(plates[n - 1], plates[n + 1])).alpha for n in range(1, 5)
        ]
        return float(np.mean([np.abs(b - a).mean() for a, b in zip(mattes, mattes[1:], strict=False)]))

    assert chatter(1.0) < 0.6 * chatter(0.0)


# Controls go one way


@pytest.mark.parametrize(
    ("stage", "model", "name", "way"),
    [
        ("matte", Matte, "black_point", -1),
        ("matte", Matte, "white_point", -1),
        ("matte", Matte, "fill_holes", 1),
        ("matte", Matte, "specks", -1),
        ("edge", Edge, "choke", -1),
        ("edge", Edge, "recover", 1),
    ],
)
def test_the_matte_follows_each_control_in_one_direction(stage: str, model: type, name: str, way: int) -> None:
    plate, _ = shot(noise=0.01)
    bounds = model.tracks()[name]
    steps = np.linspace(bounds["low"], min(bounds["high"], 0.9 if name == "black_point" else 12), 5)
    screen = Screen(kind="screen", colour=GREEN)
    mattes = [keyed(plate, Recipe(screen=screen, **{stage: model(**{name: float(v)})})) for v in steps]
    for before, after in zip(mattes, mattes[1:], strict=False):
        assert ((after - before) * way >= -CODE).all()


def test_more_spill_removal_never_leaves_more_of_the_primary(monkeypatch: pytest.MonkeyPatch) -> None:
    # What the network then says of edges is another matter.
    monkeypatch.setattr(rims.NETWORK, "answer", lambda told, places: np.zeros((len(told), 12), np.float32))
    plate, _ = shot(subject=(0.7, 0.68, 0.4))
    known = ScreenKnowledge(flat(GREEN, 16, 9), 0.004, 1)
    last = None
    for amount in (0.0, 0.3, 0.6, 1.0):
        recipe = Recipe(
            screen=Screen(kind="screen", colour=GREEN), edge_colour=EdgeColour(spill=amount, balance=0, keep_luma=False)
        )
        green = key_plate(plate, recipe, 0, known).rgb[1]
        assert last is None or (green <= last + 1e-6).all()
        last = green


# The empty set


def test_footage_of_the_empty_set_is_the_clean_plate() -> None:
    fold = flat(GREEN) * (1 + 0.3 * np.sin(np.arange(320, dtype=np.float32) / 9))
    alpha = disc(radius=70)
    plate = (flat(SKIN) * alpha + fold * (1 - alpha)).astype(np.float32)
    screen = Screen(kind="screen", colour=GREEN)
    known = measure_screen(survey({0: plate}), screen, survey({0: fold.astype(np.float32)}))
    assert known is not None
    behind = known.plate[:, known.plate.shape[1] // 2]
    rows = cv2.resize(fold[:, 90:91].transpose(1, 2, 0), (behind.shape[1], 1), interpolation=cv2.INTER_AREA)
    assert np.abs(behind - rows[0].T).max() < 0.01


# Instruments


def test_the_profile_of_a_soft_edge_rises_from_outside_to_inside() -> None:
    matte = cv2.GaussianBlur(disc(radius=50), (0, 0), 3)
    profile = instruments.edge_profile(matte, matte, 1.0)
    values = [v for v in profile.matte if v is not None]
    assert profile.distances[0] == -instruments.FAR and len(profile.distances) == len(profile.matte)
    assert values[0] < 0.01 and values[-1] > 0.99 and (np.diff(values) >= 0).all()
    assert instruments.edge_profile(np.zeros((9, 9), np.float32), np.zeros((9, 9), np.float32), 1.0).distances == []


def test_the_chroma_plane_has_grey_in_the_middle_and_counts_every_pixel() -> None:
    ((column, row, count),) = instruments.chroma_plane(flat((0.5, 0.5, 0.5), 40, 30))
    assert {column, row} <= {23, 24} and count == 1200
    ((column, row, _),) = instruments.chroma_plane(flat((0.1, 0.1, 0.6), 4, 4))
    assert column > 40 and row < 24


def test_green_cloth_stays_green_and_grey_beside_it_loses_its_spill() -> None:
    """Common practice, no source: despilling must not dull what is green itself."""
    olive, spilt = (0.30, 0.42, 0.22), tuple(0.5 + 0.12 * g for g in GREEN)
    plate = flat(olive)
    plate[:, :, 160:] = flat(spilt)[:, :, 160:]  # type: ignore[arg-type]
    cover = np.ones((180, 320), np.float32)
    screen = upsampled(np.array(GREEN, np.float32).reshape(3, 1, 1), 320, 180)
    subject = upsampled(area(plate, 32, 18), 320, 180)
    tint = {"unmix": 1.0, "spill": 1.0, "balance": 0.5, "keep_luma": False}
    kept = edge_colour(plate, cover, "screen", screen, subject, 1, keep_own=True, **tint)  # type: ignore[arg-type]
    taken = edge_colour(plate, cover, "screen", screen, subject, 1, keep_own=False, **tint)  # type: ignore[arg-type]
    assert np.abs(kept - plate)[:, :, :150].max() < 0.01
    assert (plate - taken)[1, :, :150].min() > 0.12
    for result in (kept, taken):
        assert (plate - result)[1, :, 170:].min() > 0.045


# Along the edge


@pytest.mark.parametrize("turn", [0, 20, 45, 75, 90, 130])
def test_an_edge_is_calmed_along_its_course_and_stays_as_sharp_across(turn: int) -> None:
    angle = np.deg2rad(turn)
    y, x = np.mgrid[-90:90, -160:160].astype(np.float32)
    away = x * np.cos(angle) + y * np.sin(angle)
    # A lens draws an edge as a soft step; one with corners would be cut at them.
    edge = (0.5 + 0.5 * np.tanh(away / 1.3)).astype(np.float32)
    rough = (edge + np.random.default_rng(3).normal(0, 0.03, edge.shape)).astype(np.float32).clip(0, 1)
    calm = smooth_edges(rough, amount=1)
    inside = (np.abs(away) < 0.8) & (np.abs(x) < 60) & (np.abs(y) < 60)
    assert np.std((calm - edge)[inside]) < 0.65 * np.std((rough - edge)[inside])
    assert abs(float((smooth_edges(edge, amount=1) - edge)[inside].mean())) < 0.002
    assert np.abs(smooth_edges(edge, amount=1) - edge)[(np.abs(x) < 60) & (np.abs(y) < 60)].max() < 0.04


@pytest.mark.parametrize("size", [(1, 1), (7, 9), (8, 8), (33, 17)])
def test_calming_leaves_flat_and_tiny_mattes_alone(size: tuple[int, int]) -> None:
    for value in (0.0, 0.4, 1.0):
        matte = np.full(size, value, np.float32)
        assert np.array_equal(smooth_edges(matte, amount=1), matte)
    assert smooth_edges(disc(), amount=0) is not None and np.array_equal(smooth_edges(disc(), amount=0), disc())


def test_an_edge_has_the_colour_of_the_subject_nearest_to_it() -> None:
    """Two things of different colour close together: neither lends its colour to the other's edge."""
    cells = flat(GREEN, 96, 54)
    cells[:, 10:44, 20:46] = flat((0.6, 0.2, 0.2), 26, 34)
    cells[:, 10:44, 52:78] = flat((0.2, 0.2, 0.5), 26, 34)
    found = subject_colours(cells, "screen", ScreenKnowledge(flat(GREEN, 16, 9), 0.004, 1))
    assert found[:, 27, 47] == pytest.approx((0.6, 0.2, 0.2), abs=0.02)
    assert found[:, 27, 50] == pytest.approx((0.2, 0.2, 0.5), abs=0.02)


def test_a_subject_in_shade_is_solid_and_its_edge_is_not_moved() -> None:
    """A round limb: its sides are darker than its middle, and no less there."""
    alpha = disc(radius=60)
    shade = (0.45 + 0.55 * disc(radius=60) * np.cos(np.linspace(-1.3, 1.3, 320, dtype=np.float32))).astype(np.float32)
    rng = np.random.default_rng(5)
    plate = flat((0.62, 0.45, 0.30)) * shade * alpha + flat(GREEN) * (1 - alpha)
    plate = (plate + rng.normal(0, 0.004, plate.shape)).astype(np.float32)
    found = keyed(plate, first_look(survey({0: plate})).recipe)
    inside = cv2.erode(alpha, np.ones((7, 7), np.uint8)) > 0.99
    assert (found[inside] < 0.95).mean() < 0.002
    assert found[cv2.dilate(alpha, np.ones((7, 7), np.uint8)) == 0].max() < 0.03
    assert abs(float((found - alpha).mean())) < 0.002


def test_what_is_far_inside_is_solid_though_its_colour_is_near_the_screens() -> None:
    """An olive cloth with a pattern of light and dark, within a figure: no edge reaches there."""
    alpha = disc(radius=70)
    rng = np.random.default_rng(6)
    pattern = cv2.GaussianBlur(rng.normal(0, 1, (180, 320)).astype(np.float32), (0, 0), 2)
    olive = flat((0.34, 0.46, 0.24)) * (1 + 0.9 * pattern)
    own = flat(SKIN)
    own[:, 60:120, 130:190] = olive[:, 60:120, 130:190]
    plate = (own * alpha + flat(GREEN) * (1 - alpha)).clip(0, 1).astype(np.float32)
    found = keyed(plate, first_look(survey({0: plate})).recipe)
    assert (found[66:114, 136:184] < 0.95).mean() < 0.1


def test_a_wide_blur_is_no_surface() -> None:
    """Along a ramp of twenty-four cells coverage rises evenly: what is covered by less than two thirds is not solid."""
    ramp = np.broadcast_to(np.clip((np.arange(320, dtype=np.float32) - 100) / 24, 0, 1), (180, 320))
    plate = (flat(SKIN) * ramp + flat(GREEN) * (1 - ramp)).astype(np.float32)
    found = keyed(plate, first_look(survey({0: plate})).recipe)
    assert np.abs(found[:, 101:116] - ramp[:, 101:116]).max() < 0.2
