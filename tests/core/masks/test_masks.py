"""What masks do in a key: discarding, keeping, limiting lines, and how they join."""

from typing import Any

import numpy as np
import pytest

from plates import GREEN, SKIN, disc, flat
from upholster.core.documents.masks import LINES, Mask, Masks
from upholster.core.documents.recipe import (
    Edge,
    Matte,
    Recipe,
    RecipeError,
    changed,
    differences,
    document_of,
    read_recipe,
)
from upholster.core.documents.screen import Screen
from upholster.core.masks.course import Course
from upholster.core.pipeline.order import ORDER
from upholster.core.pipeline.runner import key, plate_of
from upholster.core.pipeline.stage import Picture
from upholster.core.screen.clean_plate import measure_screen
from upholster.core.screen.survey import survey

WIDTH, HEIGHT = 160, 90


def box(left: float, top: float, right: float, bottom: float) -> dict[str, Any]:
    return {"keys": [{"frame": 0, "points": [[left, top], [right, top], [right, bottom], [left, bottom]]}]}


def masks(*given: dict[str, Any], **more: Any) -> Masks:
    each = {f"m{n}": Mask.model_validate(m) for n, m in enumerate(given)}
    return Masks(order=tuple(each), each=each, **more)


def plain(*given: dict[str, Any], **more: Any) -> Picture:
    """A grey picture of which nothing is taken out."""
    plate = plate_of(flat((0.5, 0.5, 0.5), WIDTH, HEIGHT), identity=b"grey")
    return key(plate, Recipe(screen=Screen(), masks=masks(*given, **more)), 0, None)


def test_garbage_masks_discard_outside_and_inside_and_holdouts_win() -> None:
    outside = plain({"course": box(40, 20, 120, 70)}).alpha
    assert outside[45, 80] == 1 and outside[10, 80] == 0 and outside.sum() == 80 * 50
    inside = plain({"course": box(40, 20, 120, 70), "does": "discard_inside"}).alpha
    assert np.array_equal(inside, 1 - outside)
    kept = plain({"course": box(40, 20, 120, 70)}, {"course": box(0, 0, 10, 10), "does": "keep_inside"}).alpha
    assert kept[5, 5] == 1 and kept[5, 20] == 0


def test_masks_that_are_off_paused_open_or_too_small_do_nothing() -> None:
    square = box(40, 20, 120, 70)
    for mask in ({"course": square, "on": False}, {"course": square, "opacity": 0.0},
                 {"course": square | {"closed": False}},
                 {"course": {"keys": [{"frame": 0, "points": [[3, 3], [9, 9]]}]}}):  # fmt: skip
        assert (plain(mask).alpha == 1).all()
    assert (plain({"course": square}, paused=True).alpha == 1).all()
    assert plain({"course": square, "opacity": 0.25}).alpha[0, 0] == pytest.approx(0.75)


@pytest.mark.parametrize(
    ("joins", "after"),
    [("add", [1, 1, 1]), ("take_away", [1, 0, 0]), ("common", [0, 1, 0]), ("either", [1, 0, 1])],
)
def test_masks_join_the_ones_before_them(joins: str, after: list[float]) -> None:
    one, two = box(20, 20, 100, 70), box(60, 20, 140, 70)

    def across(opacity: float) -> list[float]:
        alpha = plain({"course": one}, {"course": two, "joins": joins, "opacity": opacity}).alpha
        return [float(alpha[45, x]) for x in (40, 80, 120)]

    assert across(1.0) == after
    assert across(0.5) == pytest.approx([(a + b) / 2 for a, b in zip([1, 1, 0], after, strict=True)])


def green_plate() -> np.ndarray[Any, Any]:
    """A disc before a green screen that is darker in the lower left corner, with a green patch in the disc."""
    matte = disc(WIDTH, HEIGHT, x=80, y=45, radius=25)
    green = flat(GREEN, WIDTH, HEIGHT)
    green[:, 60:, :50] *= 0.55
    plate = (matte * np.array(SKIN, np.float32)[:, None, None] + (1 - matte) * green).astype(np.float32)
    plate[:, 40:50, 75:85] = np.array(GREEN, np.float32)[:, None, None]
    return plate


def keyed(recipe: Recipe) -> Picture:
    plate = green_plate()
    known = measure_screen(survey({0: plate}), recipe.screen)
    return key(plate_of(plate, identity=b"green"), recipe, 0, known)


SCREEN = Screen(kind="screen", colour=GREEN)


def test_a_green_patch_is_kept_solid_and_green() -> None:
    eaten = keyed(Recipe(screen=SCREEN))
    assert eaten.alpha[45, 80] < 0.2
    held = keyed(Recipe(screen=SCREEN, masks=masks({"course": box(73, 38, 87, 52), "does": "keep_inside"})))
    assert held.alpha[45, 80] == 1
    assert held.rgb[:, 45, 80] == pytest.approx(GREEN, abs=1e-3)
    assert np.array_equal(held.alpha[:30], eaten.alpha[:30])


def test_a_limited_line_is_done_inside_its_mask_only() -> None:
    raised = Matte(black_point=0.4)
    without, everywhere = keyed(Recipe(screen=SCREEN)), keyed(Recipe(screen=SCREEN, matte=raised))
    corner = {"course": box(0, 60, 50, 90), "does": "limit", "line": "levels"}
    limited = keyed(Recipe(screen=SCREEN, matte=raised, masks=masks(corner)))
    inside = np.zeros((HEIGHT, WIDTH), bool)
    inside[60:, :50] = True
    assert np.allclose(limited.cover[inside], everywhere.cover[inside], atol=1e-6)
    assert np.allclose(limited.cover[~inside], without.cover[~inside], atol=1e-6)
    assert not np.allclose(without.cover, everywhere.cover, atol=1e-3)


def test_what_a_line_did_before_is_kept_while_its_mask_moves() -> None:
    asked: list[bytes] = []
    held: dict[bytes, Any] = {}

    def memo(digest: bytes, compute: Any) -> Any:
        if digest not in held:
            asked.append(digest)
            held[digest] = compute()
        return held[digest]

    plate = plate_of(green_plate(), identity=b"green")
    known = measure_screen(survey({0: plate.rgb}), SCREEN)

    def run(right: float) -> int:
        corner = {"course": box(0, 60, right, 90), "does": "limit", "line": "choke"}
        recipe = Recipe(screen=SCREEN, masks=masks(corner), edge=Edge(choke=1.0))
        asked.clear()
        key(plate, recipe, 0, known, memo=memo)
        return len(asked)

    first = run(50)
    assert run(60) < first / 2 and run(60) == 0


def test_every_line_that_can_be_limited_is_a_stage_with_settings() -> None:
    assert set(LINES) <= {stage.name for stage in ORDER if stage.section}


def test_masks_change_one_by_one_and_come_back_from_differences() -> None:
    before = Recipe(masks=masks({"course": box(0, 0, 9, 9)}, {"course": box(1, 1, 9, 9), "name": "two"}))
    shelf: dict[str, Course] = {}

    def keep(course: Course) -> str:
        shelf[course.digest] = course
        return course.digest

    def find(digest: str) -> Course:
        if digest not in shelf:
            raise ValueError("this outline is not here")
        return shelf[digest]

    document_of(before, keep)
    moved = {"of": before.masks.each["m0"].course.digest, "shift": [2, 0]}
    each = {"m0": {"course": moved}, "m1": None, "m2": {"course": box(5, 5, 8, 8)}}
    after = changed(before, {"masks": {"each": each, "order": ["m2", "m0"]}}, find)
    assert after.masks.order == ("m2", "m0") and after.masks.each["m0"].course.at(0)[0, 0] == 2
    told = differences(before, after, keep)
    assert told["masks"]["each"]["m1"] is None and set(told["masks"]["each"]["m0"]) == {"course"}
    assert changed(before, told, find) == after
    assert read_recipe(document_of(after, keep), find) == after
    assert read_recipe(document_of(after)) == after, "a file holds its outlines in full"
    with pytest.raises(RecipeError, match="in full here"):
        read_recipe(document_of(after, keep))
    with pytest.raises(RecipeError, match="not here"):
        changed(before, {"masks": {"each": {"m0": {"course": "0" * 64}}}}, find)


@pytest.mark.parametrize(
    ("fields", "words"),
    [({"line": "lighting"}, "line"), ({"does": "vanish"}, "does"), ({"joins": 3}, "joins"), ({"name": ""}, "name"),
     ({"feather": 9e9}, "feather"), ({"spread": float("nan")}, "spread"), ({"course": None}, "course"),
     ({"colour": "red"}, "colour")],
)  # fmt: skip
def test_nonsense_in_a_mask_is_one_sentence_that_names_the_field(fields: dict[str, Any], words: str) -> None:
    recipe = Recipe(masks=masks({"course": box(0, 0, 9, 9)}))
    with pytest.raises(RecipeError, match=words) as told:
        changed(recipe, {"masks": {"each": {"m0": fields}}})
    assert str(told.value).startswith("Recipe field “masks") and str(told.value).endswith(".")
    spaced = {"each": {"m 1": {"course": box(0, 0, 9, 9)}}, "order": ["m0", "m 1"]}
    for each in ({"order": ["m0", "m0"]}, {"order": []}, spaced, {"each": 3}):
        with pytest.raises(RecipeError):
            changed(recipe, {"masks": each})
