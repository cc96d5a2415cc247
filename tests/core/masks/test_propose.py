"""The proposed garbage mask, on studios drawn at random; and keyframes thinned."""

import random

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray

from plates import GREEN
from upholster.core.first_recipe import first_look
from upholster.core.masks.course import Course
from upholster.core.masks.propose import propose
from upholster.core.masks.thinned import thinned
from upholster.core.pipeline.runner import key, plate_of
from upholster.core.raster import Raster
from upholster.core.screen.clean_plate import measure_screen
from upholster.core.screen.survey import survey

WIDTH, HEIGHT = 480, 270
Plane = NDArray[np.float32]


class Studio:
    """A subject of a few ellipses that walks before a screen with walls, lamps and tape around it."""

    def __init__(self, seed: int) -> None:
        draw = self.draw = random.Random(seed)
        left, top, right, bottom = (draw.randint(*span) for span in ((30, 150), (12, 40), (30, 150), (12, 30)))
        self.screen = [left, top, WIDTH - right, HEIGHT - bottom]
        # Greys with a tint, as walls, drapes and boards have.
        greys = [draw.uniform(0.05, 0.75) for _ in range(2)]
        self.walls = [tuple(grey * draw.uniform(0.85, 1.15) for _ in range(3)) for grey in greys]
        self.green = np.array(GREEN, np.float32) * draw.uniform(0.7, 1.1)
        self.slope = draw.uniform(-0.2, 0.2)
        self.lamps = [(draw.randint(0, WIDTH), draw.choice([4, HEIGHT - 5]), draw.randint(3, 9)) for _ in range(3)]
        self.colour = tuple(draw.uniform(0.2, 0.9) if k != 1 else draw.uniform(0.1, 0.35) for k in range(3))
        self.way = draw.uniform(-0.8, 0.8)

    def matte(self, frame: int) -> Plane:
        left, top, right, bottom = self.screen
        x = (left + right) / 2 + self.way * (frame - 12) * 2
        y = (top + bottom) / 2 + 4 * np.sin(frame / 3)
        cover = np.zeros((HEIGHT, WIDTH), np.float32)
        arm, sway = 30 + 20 * np.sin(frame / 4), 8 * np.sin(frame / 2)
        for dx, dy, a, b, turn in ((0, -25, 14, 17, 0), (0, 10, 20, 34, sway), (-20, 5, 7, 26, arm)):
            cv2.ellipse(cover, ((x + dx, y + dy), (2 * a, 2 * b), turn), 1.0, -1, cv2.LINE_AA)
        return cv2.GaussianBlur(cover, (0, 0), 0.8)

    def plate(self, frame: int) -> Plane:
        left, top, right, bottom = self.screen
        whole = np.empty((3, HEIGHT, WIDTH), np.float32)
        whole[:] = np.array(self.walls[0])[:, None, None]
        whole[:, :, : WIDTH // 2] = np.array(self.walls[1])[:, None, None]
        shade = 1 + self.slope * np.linspace(-1, 1, right - left, dtype=np.float32)
        whole[:, top:bottom, left:right] = self.green[:, None, None] * shade
        for x, y, r in self.lamps:
            for plane in whole:
                cv2.circle(plane, (x, y), r, 0.97, -1)
        matte = self.matte(frame)
        whole = whole * (1 - matte) + np.array(self.colour, np.float32)[:, None, None] * matte
        noise = np.random.default_rng(frame).normal(0, 0.006, whole.shape)
        return np.clip(whole + noise, 0, 1).astype(np.float32)


@pytest.mark.parametrize("drift", [0, 1])
@pytest.mark.parametrize("seed", range(8))
def test_nothing_of_the_studio_is_left_and_nothing_of_the_subject_is_lost(seed: int, drift: int) -> None:
    """Frames that were surveyed and frames in between, with the first automatic key as it is; also where the camera
    moves by a pixel a frame."""
    studio = Studio(seed)
    plates = {n: np.roll(studio.plate(n), drift * n, axis=2) for n in range(25)}
    taken = survey({n: plate for n, plate in plates.items() if n % 2 == 0})
    recipe = first_look(taken).recipe
    assert recipe.screen.kind == "screen" and len(recipe.masks.order) == 1
    course = recipe.masks.each["m1"].course
    assert course.points.shape[1] <= 12 and len(course.frames) <= 13
    known = measure_screen(taken, recipe.screen)
    left, top, right, bottom = studio.screen
    for frame in (0, 3, 7, 12, 19, 24):
        alpha = key(plate_of(plates[frame]), recipe, frame, known).alpha
        outside = np.ones(alpha.shape, bool)
        outside[top:bottom, left:right] = False
        assert alpha[np.roll(outside, drift * frame, axis=1)].max() == 0
        truth = np.roll(studio.matte(frame), drift * frame, axis=1)
        assert alpha[truth > 0.99].mean() > 0.98


def test_a_screen_over_the_whole_picture_needs_no_mask_but_can_have_one() -> None:
    cover = np.zeros((90, 160), np.float32)
    cover[30:60, 60:90] = 1
    found = propose({0: cover, 9: np.roll(cover, 20, axis=1)}, Raster.of_plate(1600, 900, 160, 90))
    assert found is not None and not found.needed
    for frame, left in ((0, 600), (9, 800)):
        places = found.course.at(frame)[:, :2]
        assert places[:, 0].min() < left < left + 300 < places[:, 0].max()
    assert propose({0: np.ones((90, 160), np.float32)}, Raster.of_plate(160, 90)) is None
    assert propose({0: np.zeros((90, 160), np.float32)}, Raster.of_plate(160, 90)) is None


def test_a_subject_that_leaves_the_screen_is_not_cut_off_unasked() -> None:
    """A close picture: shoulders cover the lower rim from side to side."""
    cover = np.zeros((90, 160), np.float32)
    cover[20:60, 60:100] = 1
    cover[55:, :] = 1
    found = propose({0: cover}, Raster.of_plate(160, 90))
    assert found is None or not found.needed


def test_keyframes_are_thinned_to_a_tolerance() -> None:
    draw = random.Random(3)
    keys = []
    for frame in range(60):
        x, y = 40 * np.sin(frame / 9), 25 * np.cos(frame / 14)
        points = [[x + px + draw.uniform(-0.1, 0.1), y + py] for px, py in ((0, 0), (30, 0), (15, 20))]
        keys.append({"frame": frame, "next": "linear", "points": points})
    course = Course.read({"keys": keys})
    fewer = thinned(course, 1.0)
    assert len(fewer.frames) < 20 and fewer.frames[0] == 0 and fewer.frames[-1] == 59
    far = [np.hypot(*(fewer.at(f)[:, :2] - course.at(f)[:, :2]).T).max() for f in range(60)]
    assert max(far) <= 1.0
    assert len(thinned(course, 0.0).frames) == 60
    one = Course.read({"keys": keys[:1]})
    assert thinned(one, 1.0) == one
