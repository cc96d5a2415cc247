"""Masks from grey mattes cover what the mattes do, and can be edited."""

import numpy as np
import pytest
from numpy.typing import NDArray
from skimage.draw import ellipse

from upholster.core.documents.masks import Mask, Masks
from upholster.core.documents.recipe import Recipe
from upholster.core.documents.screen import Screen
from upholster.core.masks.course import Course
from upholster.core.masks.from_mattes import from_mattes
from upholster.core.masks.svg import with_masks
from upholster.core.pipeline.runner import key, plate_of

WIDTH, HEIGHT, FRAMES = 240, 136, 9
TURNS = np.arange(10) * np.pi / 5
STAR = np.stack([np.cos(TURNS), np.sin(TURNS)], 1) * np.where(np.arange(10) % 2, 50, 26)[:, None] + (90, 68)
BOX = np.array([[80.0, 58], [100, 58], [100, 78], [80, 78]])

Plane = NDArray[np.float32]


def drawn(places: np.ndarray, ways: dict[int, tuple[float, float]], **more: object) -> Mask:
    keys = [
        {"frame": frame, "points": [[x + dx, y + dy, 0, 0, 0, 0, 0, 0] for x, y in places.tolist()]}
        for frame, (dx, dy) in ways.items()
    ]
    return Mask.model_validate({"course": {"keys": keys}, **more})


def mattes(masks: list[Mask]) -> list[Plane]:
    plate = plate_of(np.zeros((3, HEIGHT, WIDTH), np.float32))
    recipe = Recipe(screen=Screen(kind="none"), masks=with_masks(Masks(), masks))
    return [key(plate, recipe, frame, None).alpha for frame in range(FRAMES)]


def overlap(one: Plane, other: Plane) -> float:
    return float(np.minimum(one, other).sum() / np.maximum(one, other).sum())


MOVES = {0: (0.0, 0.0), FRAMES - 1: (60.0, 10.0)}


@pytest.mark.parametrize(
    "masks",
    [
        [drawn(STAR, {0: (0, 0)})],
        [drawn(STAR, MOVES)],
        [drawn(STAR, MOVES), drawn(BOX, MOVES, joins="take_away")],
        [drawn(STAR, MOVES), drawn(BOX, {0: (100, -30)})],
        [drawn(STAR, MOVES, feather=8.0)],
    ],
    ids=["still", "moving", "a hole", "two parts", "soft"],
)
def test_what_is_read_covers_what_was_written(masks: list[Mask]) -> None:
    written = mattes(masks)
    found = from_mattes(written)
    assert len(found) == len(masks)
    assert [mask.joins for mask in found] == [mask.joins for mask in masks]
    assert min(overlap(*pair) for pair in zip(mattes(found), written, strict=True)) > 0.985


def test_a_soft_edge_gives_its_feather() -> None:
    (found,) = from_mattes(mattes([drawn(STAR, MOVES, feather=8.0)]))
    assert found.feather == pytest.approx(8.0, rel=0.1)
    (hard,) = from_mattes(mattes([drawn(STAR, MOVES)]))
    assert hard.feather == 0


def test_the_outline_of_an_ellipse_is_where_scikit_image_draws_it() -> None:
    """Against scikit-image's `draw.ellipse` (0.26), drawn at 16 times the size."""
    fine = np.zeros((HEIGHT * 16, WIDTH * 16), np.float32)
    fine[ellipse(70 * 16, 120 * 16, 40 * 16, 66 * 16)] = 1
    matte = fine.reshape(HEIGHT, 16, WIDTH, 16).mean(axis=(1, 3))
    (found,) = from_mattes([matte])
    x, y = found.course.points[0, :, :2].T
    # Centres of its pixels are whole numbers there: half a fine pixel from ours.
    away = np.hypot((x - 120 - 1 / 32) / 66, (y - 70 - 1 / 32) / 40)
    assert np.abs(away - 1).max() < 0.006
    area = 0.5 * abs(x @ np.roll(y, -1) - y @ np.roll(x, -1))
    assert area == pytest.approx(np.pi * 40 * 66, rel=0.01)


def test_a_part_that_comes_and_goes_is_there_only_then() -> None:
    there = mattes([drawn(STAR, {0: (0, 0)}), drawn(BOX, {0: (110, -30)})])
    alone = mattes([drawn(STAR, {0: (0, 0)})])
    written = [there[n] if 3 <= n < 6 else alone[n] for n in range(FRAMES)]
    found = from_mattes(written)
    assert len(found) == 2
    assert min(overlap(*pair) for pair in zip(mattes(found), written, strict=True)) > 0.985


def test_mattes_from_a_later_frame_on_and_specks() -> None:
    written = mattes([drawn(BOX, {0: (0, 0)})])
    written[0][3, 3] = 1
    (found,) = from_mattes(written, first=20)
    # One that stands needs one keyframe.
    assert found.course.frames == (20,) and isinstance(found.course, Course)


def test_black_mattes_say_so() -> None:
    with pytest.raises(ValueError, match="black on every frame"):
        from_mattes([np.zeros((HEIGHT, WIDTH), np.float32)] * 3)
