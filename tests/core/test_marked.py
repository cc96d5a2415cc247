"""What is marked on the picture: how its colours are read, and what the key makes of them; what the key asks."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from marked_plates import GREY, TINT, pane, patched
from plates import GREEN, SKIN, Plane, disc, flat, key_plate, shot
from upholster.core.documents.recipe import Recipe
from upholster.core.documents.screen import COLOURS, Of, Sample, Screen
from upholster.core.doubts import Doubt, doubts
from upholster.core.first_recipe import first_look
from upholster.core.grids import upsampled
from upholster.core.pipeline.stage import Picture
from upholster.core.raster import Raster
from upholster.core.screen.clean_plate import measure_screen
from upholster.core.screen.likeness import likeness
from upholster.core.screen.sampled import Spot, colours_in, inside, read_at
from upholster.core.screen.survey import survey

WHOLE = Raster.of_plate(320, 180)


def keyed(frames: list[Plane], recipe: Recipe, number: int) -> Picture:
    return key_plate(frames[number], recipe, number, measure_screen(survey(dict(enumerate(frames))), recipe.screen))


def with_marks(recipe: Recipe, plate: Plane, *marks: tuple[Of, Spot]) -> Recipe:
    samples = tuple(read_at(plate, WHOLE, spot, of, 0) for of, spot in marks)
    return recipe.model_copy(update={"screen": recipe.screen.model_copy(update={"samples": samples})})


# Reading


def test_a_spot_is_a_rectangle_or_follows_a_scribble_at_any_size() -> None:
    square = inside(Spot(100, 50, 10), WHOLE)
    assert square.sum() == 21 * 21 and square[50, 100] and not square[50, 115]
    wide = inside(Spot(100, 50, 20, 5), WHOLE)
    assert wide.sum() == 41 * 11
    line = Spot(20, 20, 4, course=((20.0, 20.0), (120.0, 20.0)))
    assert inside(line, WHOLE)[20, 70] and not inside(line, WHOLE)[30, 70]
    half = inside(line, WHOLE.resized(160, 90))
    assert half.sum() == pytest.approx(inside(line, WHOLE).sum() / 4, rel=0.25)
    assert not inside(Spot(900, 50, 4), WHOLE).any()
    # Far out of the picture is legal, and nothing runs over.
    assert not inside(Spot(0, 0, 4, course=((-9e9, 40.0), (-8e9, 9e9))), WHOLE).any()


def test_the_colours_of_a_spot_are_those_it_consists_of_without_strays() -> None:
    rng = np.random.default_rng(1)
    pixels = np.concatenate([flat(SKIN, 60, 10), flat(GREEN, 40, 10)], axis=2).reshape(3, -1)
    pixels = pixels + rng.normal(0, 0.004, pixels.shape).astype(np.float32)
    pixels[:, 5] = (0, 0, 1)
    mean, colours = colours_in(pixels)
    assert mean == pytest.approx(0.6 * np.array(SKIN) + 0.4 * np.array(GREEN), abs=0.01)
    assert len(colours) == 2
    for colour in (SKIN, GREEN):
        assert min(np.abs(np.array(found) - colour).max() for found in colours) < 0.01
    assert colours_in(flat(SKIN).reshape(3, -1)) == (pytest.approx(SKIN, abs=1e-4), ())
    with pytest.raises(ValueError, match="outside"):
        read_at(flat(SKIN), WHOLE, Spot(-50, 20, 4), "subject", 0)


@given(st.integers(0, 2**16), st.integers(1, 500))
def test_any_pixels_have_a_few_colours_within_their_range(seed: int, count: int) -> None:
    pixels = np.random.default_rng(seed).random((3, count), dtype=np.float32)
    mean, colours = colours_in(pixels)
    assert len(colours) <= COLOURS and colours == colours_in(pixels)[1]
    for colour in (mean, *colours):
        assert (pixels.min(axis=1) - 1e-4 <= colour).all() and (colour <= pixels.max(axis=1) + 1e-4).all()


def test_ground_of_another_colour_takes_the_place_of_what_was_proposed_and_its_like_stands_beside_it() -> None:
    near, far = (0.2, 0.55, 0.2), (0.2, 0.25, 0.6)

    def colours(*marked: tuple[float, float, float], of: Of = "ground") -> tuple[object, ...]:
        samples = tuple(Sample(of=of, frame=0, x=0, y=0, colour=colour) for colour in marked)
        return Screen(kind="screen", colour=GREEN, samples=samples).colours

    assert colours() == (GREEN,) and colours(far) == (far,) and colours(near) == (near, GREEN)
    assert colours(far, of="subject") == (GREEN,)


# Likeness


def test_likeness_is_one_to_its_like_none_to_other_things_and_falls_in_between() -> None:
    against = upsampled(flat(GREEN, 2, 2), 320, 180)
    found = {
        share: likeness(
            share * flat(SKIN) + (1 - share) * flat(GREEN), [SKIN], [], against, alike=0.03, around=3
        )
        for share in (0.0, 0.5, 0.8, 1.0)
    }  # fmt: skip
    assert found[1.0].alike.min() == 1 and found[0.0].alike.max() == found[0.5].alike.max() == 0
    for share, there in found.items():
        assert there.share == pytest.approx(share, abs=1e-3)
    # What is as like something else is not alike.
    assert likeness(flat(SKIN), [SKIN], [SKIN], against, alike=0.03, around=3).alike.max() == 0


def test_a_line_that_is_alike_by_chance_does_not_count() -> None:
    plate = flat(GREEN)
    plate[:, 90] = np.array(SKIN, np.float32)[:, None]
    plate[:, 20:60, 20:60] = np.array(SKIN, np.float32)[:, None, None]
    found = likeness(plate, [SKIN], [], upsampled(flat(GREEN, 2, 2), 320, 180), alike=0.03, around=3).alike
    assert found[90, 200] == 0 and found[40, 40] == 1


# What the key makes of it


def test_a_patch_near_the_screens_colour_becomes_solid_on_every_frame_when_marked_on_one() -> None:
    frames, truths = zip(*(patched(n) for n in range(6)), strict=True)
    recipe = first_look(survey(dict(enumerate(frames)))).recipe
    marked = with_marks(recipe, frames[0], ("subject", Spot(150, 90, 12)))
    for n in (0, 5):
        inner = disc(x=150 + 4 * n, radius=20) > 0
        before, after = (keyed(list(frames), which, n).alpha for which in (recipe, marked))
        assert np.mean(before[inner] < 0.9) > 0.3, "the patch is a hole without a mark"
        assert np.mean(after[inner] < 0.9) < 0.01
        rim = (truths[n] > 0.01) & (truths[n] < 0.99)
        errors = [np.mean((found - truths[n])[rim] ** 2) for found in (before, after)]
        assert errors[1] < errors[0] * 1.2 + 1e-4
        assert after[truths[n] < 0.01].max() < 0.05


def test_marked_ground_goes_and_a_subject_of_that_very_colour_stays_where_it_is_marked_as_well() -> None:
    plate, truth = patched(patch=GREY, tape=1.0)
    recipe = first_look(survey({0: plate})).recipe
    tape, patch = (slice(22, 32), slice(24, 56)), disc(x=150, radius=18) > 0
    assert keyed([plate], recipe, 0).alpha[tape].min() > 0.9
    gone = keyed([plate], with_marks(recipe, plate, ("ground", Spot(40, 27, 12, 4))), 0).alpha
    assert gone[tape].max() < 0.02
    both = with_marks(recipe, plate, ("ground", Spot(40, 27, 12, 4)), ("subject", Spot(150, 90, 10)))
    found = keyed([plate], both, 0).alpha
    # The same colour cannot be both: it is left to the key.
    assert found[patch].min() > 0.9 and np.abs(found - truth)[truth > 0.99].mean() < 0.01


def test_a_marked_badge_that_never_moves_is_not_taken_for_the_screen() -> None:
    badge = (0.12, 0.46, 0.20)
    plates = {}
    for n in range(4):
        plate = flat(GREEN) + np.random.default_rng(n).normal(0, 0.004, (3, 180, 320)).astype(np.float32)
        plate[:, 60:120, 100:220] = np.array(badge, np.float32)[:, None, None]
        plates[n] = plate
    recipe = Recipe(screen=Screen(kind="screen", colour=GREEN))
    marked = with_marks(recipe, plates[0], ("subject", Spot(160, 90, 20)))
    for which, solid in ((recipe, False), (marked, True)):
        known = measure_screen(survey(plates), which.screen)
        alpha = key_plate(plates[1], which, 1, known).alpha
        assert bool(np.median(alpha[70:110, 110:210]) > 0.98) is solid
        assert np.median(alpha[:40]) < 0.02


def asked(plate: Plane, recipe: Recipe) -> list[Doubt]:
    found = keyed([plate], recipe, 0)
    return doubts(found.cells, found.screen_cells, found.cover, recipe.screen, found.raster)


def test_glass_is_asked_about_and_let_through_by_what_is_asked() -> None:
    plate = pane()
    recipe = first_look(survey({0: plate})).recipe
    assert np.median(keyed([plate], recipe, 0).alpha[60:120, 90:230]) > 0.9, "even glass is taken for solid"
    (doubt,) = asked(plate, recipe)
    left, top, right, bottom = doubt.box
    assert doubt.of == "veil" and (left, top, right, bottom) == pytest.approx((70, 40, 250, 140), abs=8)
    told = with_marks(recipe, plate, ("veil", Spot(doubt.x, doubt.y, doubt.radius)))
    through = keyed([plate], told, 0).alpha
    # What is left of the screen's B' - Y' and R' - Y' (Rec. ITU-R BT.709-6, 3.2) shines through.
    (red, _, blue), luma = GREEN, np.array((0.2126, 0.7152, 0.0722))
    screen = np.array((blue - luma @ GREEN, red - luma @ GREEN))
    glass = 0.75 * np.array(TINT) + 0.25 * np.array(GREEN)
    seen = np.array((glass[2] - luma @ glass, glass[0] - luma @ glass))
    assert np.median(through[60:120, 90:230]) == pytest.approx(1 - seen @ screen / (screen @ screen), abs=0.03)
    assert through[34:38, 80:240].min() > 0.95
    assert asked(plate, told) == []
    # Said to be solid, it is not asked about any more either.
    assert asked(plate, with_marks(recipe, plate, ("subject", Spot(doubt.x, doubt.y, doubt.radius)))) == []


def test_a_patch_on_the_screen_could_be_tinted_glass_and_is_asked_about() -> None:
    """Another cloth and a pane before it are the same colours; a floor that reaches the border is no pane."""
    plate = shot(noise=0.003)[0]
    for place, tint in ((np.s_[:, 30:90, 220:290], (0.75, 0.72, 1.1)), (np.s_[:, 150:], (1.0, 0.7, 0.6))):
        plate[place] *= np.array(tint, np.float32)[:, None, None]
    recipe = first_look(survey({0: plate})).recipe
    found = keyed([plate], recipe, 0)
    assert found.alpha[40:80, 230:280].max() < 0.02
    known = measure_screen(survey({0: plate}), recipe.screen)
    assert known is not None
    every = doubts(found.cells, found.screen_cells, found.cover, recipe.screen, found.raster, known.patches)
    # Beside it seams of the cloths may be asked about, which are three cells wide on so small a picture.
    (doubt,) = (each for each in every if each.of == "veil")
    assert doubt.box == pytest.approx((220, 30, 290, 90), abs=12)
    told = with_marks(recipe, plate, ("veil", Spot(doubt.x, doubt.y, doubt.radius)))
    through = keyed([plate], told, 0).alpha
    assert 0.1 < np.median(through[40:80, 230:280]) < 0.8
    assert through[155:, 20:].max() < 0.05


def test_what_is_half_covered_inside_and_haze_outside_are_asked_about_and_a_clean_key_is_not() -> None:
    clean, _ = patched(patch=SKIN)
    assert asked(clean, first_look(survey({0: clean})).recipe) == []
    cells, there = flat(SKIN, 160, 90), flat(GREEN, 160, 90)
    cover = np.zeros((180, 320), np.float32)
    cover[40:140, 80:200] = 1
    cover[70:110, 110:160] = 0.5
    cover[20:60, 260:310] = 0.2
    screen = Screen(kind="screen", colour=GREEN)
    found = {doubt.of: doubt for doubt in doubts(cells, there, cover, screen, WHOLE)}
    assert set(found) == {"subject", "ground"}
    assert found["subject"].box == pytest.approx((110, 70, 160, 110), abs=6)
    assert found["ground"].box == pytest.approx((260, 20, 310, 60), abs=6)
    for doubt in found.values():
        left, top, right, bottom = doubt.box
        assert left < doubt.x - doubt.radius and doubt.x + doubt.radius < right
        assert top < doubt.y - doubt.radius and doubt.y + doubt.radius < bottom
