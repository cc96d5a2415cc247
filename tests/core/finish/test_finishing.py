"""Finishing: what each stage does to a subject, alone and within the key."""

import json

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from plates import GREEN, SKIN, Plane, disc, flat, key_plate, shot
from upholster.core.documents.recipe import Finish, Recipe, RecipeError, read_recipe
from upholster.core.documents.screen import Screen
from upholster.core.documents.tracks import Keyframe
from upholster.core.finish import grain, measured
from upholster.core.finish.light import Colours, colours_of
from upholster.core.raster import Raster
from upholster.core.screen.clean_plate import measure_screen
from upholster.core.screen.survey import survey
from upholster.core.stages.finish.balance import balanced, matrix_of
from upholster.core.stages.finish.grade import CurvePoint, Grade, graded, saturated
from upholster.core.stages.finish.match import matched
from upholster.core.stages.finish.sharpen import sharpened
from upholster.core.stages.finish.tint import tinted
from upholster.core.stages.finish.wrap import wrapped

few = settings(max_examples=15, deadline=None)
ONES = np.ones((180, 320), np.float32)


def noise(seed: int = 0, low: float = 0.0, high: float = 1.0) -> Plane:
    return np.random.default_rng(seed).uniform(low, high, (3, 40, 60)).astype(np.float32)


def finished(**finish: object) -> Plane:
    """The colours of a plate without a screen, finished so."""
    recipe = Recipe(screen=Screen(kind="none"), finish=Finish(**finish))  # type: ignore[arg-type]
    return key_plate(noise(), recipe, 3, None).rgb


def test_a_finish_that_says_nothing_changes_no_bit() -> None:
    plate, _ = shot()
    taken = survey({0: plate})
    recipe = Recipe(screen=Screen(kind="screen", colour=GREEN))
    known = measure_screen(taken, recipe.screen)
    paused = recipe.model_copy(update={"finish": Finish(brightness=0.2, paused=True)})
    one, two = (key_plate(plate, r, 0, known) for r in (recipe, paused))
    assert (one.rgb == two.rgb).all() and (finished() == noise()).all()


@pytest.mark.parametrize(
    "finish",
    [
        {"temperature": 3200.0}, {"green": 40.0}, {"neutral": 1.0, "cast": (1.2, 1.0, 0.8)}, {"slope_red": 1.3},
        {"offset_blue": 0.1}, {"power_green": 0.6}, {"brightness": -0.1}, {"contrast": 1.5}, {"gamma": 1.4},
        {"saturation": 0.2}, {"curve": [{"x": 0.5, "y": 0.7}]}, {"tint": 0.5}, {"sharpen": 1.0}, {"grain": 0.02},
    ],
)  # fmt: skip
def test_every_value_changes_colours_and_never_coverage(finish: dict[str, object]) -> None:
    plate, _ = shot()
    screen = Screen(kind="screen", colour=GREEN)
    known = measure_screen(survey({0: plate}), screen)
    plain, changed = (key_plate(plate, Recipe(screen=screen, finish=Finish(**f)), 0, known) for f in ({}, finish))  # type: ignore[arg-type]
    assert (plain.alpha == changed.alpha).all()
    assert np.abs(plain.rgb - changed.rgb)[:, plain.alpha > 0.9].max() > 0.004
    assert np.abs(finished(**finish) - noise()).max() > 0.004


def test_values_follow_their_keyframes() -> None:
    fade = (Keyframe(frame=0, value=0.0), Keyframe(frame=6, value=0.4))
    assert finished(brightness=fade) == pytest.approx(noise() + 0.2, abs=1e-4)
    bent = CurvePoint(x=0.5, y=(Keyframe(frame=0, value=0.5), Keyframe(frame=6, value=0.9)))
    assert Finish(curve=(bent,)).at(3, Grade)["curve"] == ((0.5, pytest.approx(0.7)),)


@pytest.mark.parametrize("xs", [(0.5, 0.5), (0.6, 0.3), (0.3, 0.305)])
def test_points_of_a_curve_have_to_rise(xs: tuple[float, ...]) -> None:
    document = {"version": 2, "finish": {"curve": [{"x": x, "y": 0.5} for x in xs]}}
    with pytest.raises(RecipeError, match="rising order, at least 0.01 apart"):
        read_recipe(document)


def test_a_curve_goes_through_its_points_and_never_turns_back() -> None:
    points = ((0.0, 0.0), (0.2, 0.5), (0.25, 0.52), (1.0, 1.0))
    ramp = np.linspace(0, 1, 401, dtype=np.float32).reshape(1, 1, -1).repeat(3, axis=0)
    out = graded(ramp, **Finish(curve=[{"x": x, "y": y} for x, y in points]).at(0, Grade))[0, 0]
    for x, y in points:
        assert out[round(x * 400)] == pytest.approx(y, abs=1e-4)
    assert (np.diff(out) >= -1e-6).all()


def test_contrast_leaves_its_pivot_and_gamma_leaves_black_and_white() -> None:
    three = np.array([0.0, 0.3, 1.0], np.float32).reshape(1, 1, 3).repeat(3, axis=0)
    spread = graded(three, **Finish(contrast=2.0, pivot=0.3).at(0, Grade))[0, 0]
    assert spread == pytest.approx([-0.3, 0.3, 1.7], abs=1e-4)
    bright = graded(three, **Finish(gamma=2.0).at(0, Grade))[0, 0]
    assert bright == pytest.approx([0.0, 0.3**0.5, 1.0], abs=1e-4)


@given(st.floats(0, 3))
@few
def test_saturation_leaves_greys_and_luma(amount: float) -> None:
    grey = np.full((3, 4, 4), 0.4, np.float32)
    assert saturated(grey, amount) == pytest.approx(grey, abs=1e-6)
    luma = np.array([0.2126, 0.7152, 0.0722], np.float32)
    picture = noise()
    before, after = (np.tensordot(luma, p, axes=1) for p in (picture, saturated(picture, amount)))
    assert after == pytest.approx(before, abs=1e-5)


def test_sharpening_stops_before_the_edge_and_brings_no_screen_back() -> None:
    """A subject whose colours beyond the edge are those of the screen."""
    alpha = cv2.GaussianBlur(disc(), (0, 0), 1.5)
    picture = np.where(alpha > 0, flat(SKIN), flat(GREEN)).astype(np.float32)
    sharp = sharpened(picture, np.clip(alpha * 2 - 1, 0, 1), 3.0, 2.0)
    assert sharp == pytest.approx(picture, abs=1e-5)


def test_grain_is_the_same_for_a_frame_and_another_for_the_next() -> None:
    one = Finish(grain=0.05)
    recipe = Recipe(screen=Screen(kind="none"), finish=one)
    first, again, other = (key_plate(noise(), recipe, n, None).rgb for n in (4, 4, 5))
    assert (first == again).all() and np.abs(first - other).max() > 0.02
    assert (first - noise()).std() == pytest.approx(0.05, rel=0.15)


@pytest.mark.parametrize(("strength", "size"), [(0.01, 0.1), (0.02, 0.7), (0.03, 1.5)])
def test_grain_is_found_as_it_was_put_in(strength: float, size: float) -> None:
    """Over a picture with edges and slants, which are no grain."""
    ground = np.where(disc(900, 500, x=300, y=200, radius=120) > 0.5, np.float32(0.7), np.float32(0.3))
    ground = ground + np.linspace(0, 0.2, 900, dtype=np.float32)
    found = grain.grain_of(ground + np.float32(strength) * grain.made(500, 900, size, 3))
    assert found.strength == pytest.approx(strength, rel=0.1) and found.size == pytest.approx(size, abs=0.16)


def test_light_goes_over_the_rim_and_not_into_the_middle() -> None:
    alpha, dark = disc(radius=60), flat((0.1, 0.1, 0.1))
    out = wrapped(dark, alpha, flat((0.9, 0.2, 0.1)), 1.0, 16)
    red = out[0] - dark[0]
    middle, rim = red[90, 160], red[90, 160 + 59]
    assert middle < 1e-3 and rim > 0.5
    across = red[90, 160:219]
    assert (np.diff(across) >= -1e-5).all()
    assert (wrapped(dark, ONES, flat((0.9, 0.2, 0.1)), 1.0, 16) == dark).all()


def test_a_tint_that_keeps_luma_keeps_it_and_reaches_the_colour() -> None:
    luma = np.array([0.2126, 0.7152, 0.0722], np.float32)
    picture = noise()
    before, after = (
        np.tensordot(luma, p, axes=1) for p in (picture, tinted(picture, (0.9, 0.5, 0.2), 0.8, keep_luma=True))
    )
    assert after == pytest.approx(before, abs=1e-5)
    assert tinted(np.ones((3, 1, 1), np.float32), (0.9, 0.5, 0.2), 1.0, keep_luma=False).ravel() == pytest.approx(
        (0.9, 0.5, 0.2)
    )


def test_colours_move_to_those_of_a_ground_and_stay_for_their_own() -> None:
    picture, cover = noise(1, 0.3, 0.6), np.ones((40, 60), np.float32)
    own = colours_of([(picture, cover)])
    assert matched(picture, own, own, 1.0) == pytest.approx(picture, abs=1e-4)
    wanted = Colours((0.55, 0.03, 0.02), own.spread)
    moved = colours_of([(matched(picture, own, wanted, 1.0), cover)])
    assert moved.mean == pytest.approx(wanted.mean, abs=0.004) and moved.spread == pytest.approx(
        wanted.spread, abs=0.004
    )
    light = colours_of([(matched(picture, own, wanted, 1.0, luma_only=True), cover)])
    assert light.mean == pytest.approx((0.55, *own.mean[1:]), abs=0.004)


def test_what_is_measured_is_in_the_recipe_and_stays_there() -> None:
    plate, alpha = shot(subject=(0.7, 0.5, 0.45))
    ground = flat((0.2, 0.3, 0.6))
    finish = measured.in_scene(Finish(), [(plate, alpha)], [ground], "night")
    assert finish.match == 0.5 and finish.scene is not None and finish.scene.name == "night"
    finish = measured.neutralised(finish, [(plate, alpha)])
    assert finish.neutral == 1.0 and finish.cast is not None and finish.cast[0] > finish.cast[2]
    document = json.loads(Recipe(finish=finish).model_dump_json())
    assert read_recipe(document).finish == finish


@pytest.mark.parametrize("turns", [0, 1, 2, 3])
def test_a_colour_is_picked_where_it_lies_on_the_plate(turns: int) -> None:
    raster = Raster.of_plate(60, 40)._replace(turns=turns)
    rgb, alpha = np.zeros((3, *raster.size[::-1]), np.float32), np.ones(raster.size[::-1], np.float32)
    x, y = raster.place(12.5, 30.5)
    rgb[:, int(y), int(x)] = 0.9
    assert measured.colour_at(rgb, alpha, raster, 12.5, 30.5, 0.4) == pytest.approx([0.9] * 3)
    with pytest.raises(ValueError, match="nothing of the subject"):
        measured.colour_at(rgb, alpha * 0, raster, 12.5, 30.5, 4)


def test_a_grey_that_was_picked_becomes_grey() -> None:
    """Whatever light made of a grey card: after the balance found for it, its primaries are alike."""
    for tone in ((0.5, 0.42, 0.3), (0.3, 0.42, 0.5), (0.4, 0.5, 0.42)):
        finish = measured.balanced_on(Finish(), np.array(tone, np.float32))
        values = {name: finish.at(0)[name] for name in ("temperature", "green", "neutral", "cast")}
        out = balanced(flat(tone, 4, 4), matrix_of(**values))[:, 0, 0]
        assert np.ptp(out) < 0.004
    with pytest.raises(ValueError, match="too colourful to be a grey"):
        measured.balanced_on(Finish(), np.array((0.9, 0.0, 0.0), np.float32))


@pytest.mark.parametrize("value", [np.nan, np.inf, -np.inf, 1e30, -1e30])
def test_what_is_no_number_stops_at_the_encoders(value: float) -> None:
    """Nothing of a finish fails on values that a float plate may hold."""
    picture = np.full((3, 8, 8), value, np.float32)
    values = Finish(temperature=4000.0).at(0)
    balanced(picture, matrix_of(**{n: values[n] for n in ("temperature", "green", "neutral", "cast")}))
    graded(picture, **Finish(gamma=2.0, saturation=0.5).at(0, Grade))
    matched(picture, Colours((0.5, 0, 0), (0.1, 0.1, 0.1)), Colours((0.4, 0, 0), (0.1, 0.1, 0.1)), 0.5)
