"""What masks cost: rasters, following, a key with masks beside one without, and large recipes.

Milliseconds are for this machine now; ratios within one run are what to compare.
"""

import json
import time
from collections.abc import Callable
from functools import partial
from itertools import count
from typing import get_args

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.core.documents.masks import Does, Mask, Masks
from upholster.core.documents.recipe import Recipe, changed, differences, document_of, read_recipe
from upholster.core.documents.screen import Screen
from upholster.core.kernels import row_bands
from upholster.core.masks.course import Course
from upholster.core.masks.coverage import coverage
from upholster.core.masks.follow import Motion, Step, follow
from upholster.core.pipeline.runner import key, plate_of
from upholster.core.raster import Raster
from upholster.core.screen.clean_plate import measure_screen
from upholster.core.screen.survey import survey
from upholster.memory import keep_freed_memory

SIZES = ((960, 540), (1920, 1080), (3840, 2160))


def best(act: Callable[[], object], times: int = 9) -> float:
    """Milliseconds of the quickest of some runs."""
    act()
    took = []
    for _ in range(times):
        began = time.perf_counter()
        act()
        took.append(time.perf_counter() - began)
    return 1000 * min(took)


def blob(width: int, height: int, points: int = 60, feather: float = 20.0) -> NDArray[np.float64]:
    """A smooth shape of many points over a good part of the picture."""
    draw = np.random.default_rng(1)
    turns = np.arange(points) / points * 2 * np.pi
    reach = (1 + 0.15 * draw.random(points)) * height * 0.37
    shape = np.zeros((points, 8))
    shape[:, 0], shape[:, 1] = width / 2 + 1.5 * reach * np.cos(turns), height / 2 + reach * np.sin(turns)
    shape[:, 4:6] = (np.roll(shape[:, :2], -1, 0) - np.roll(shape[:, :2], 1, 0)) / 6
    shape[:, 2:4] = -shape[:, 4:6]
    shape[:, 6:] = feather * width / 1920
    return shape


def rasters() -> None:
    print("raster of 60 points          sharp     feathered   ms")
    for width, height in SIZES:
        shape, raster = blob(width, height), Raster.of_plate(width, height)
        sharp = shape * ([1.0] * 6 + [0.0] * 2)
        with row_bands():
            one, two = (best(partial(coverage, points, raster)) for points in (sharp, shape))
        print(f"  {width} x {height:<18} {one:8.2f} {two:10.2f}")


def following() -> None:
    draw = np.random.default_rng(2)
    texture = np.full((540, 960), 128.0)
    for size in (2, 6, 20):
        texture += cv2.GaussianBlur(draw.normal(0, 1, texture.shape), (0, 0), size) * size * 14
    texture = texture.clip(0, 255)
    frames = [np.roll(texture.astype(np.uint8), (n, 2 * n), (0, 1)) for n in range(61)]
    region = np.zeros((540, 960), np.uint8)
    region[200:300, 200:320] = 255
    for motion in get_args(Motion):
        took = best(partial(_followed, frames, region, motion), 3)
        print(f"following, 960 x 540, {motion:<12} {60_000 / took:8.0f} frames a second")


def _followed(frames: list[NDArray[np.uint8]], region: NDArray[np.uint8], motion: Motion) -> list[Step]:
    return list(follow(frames[0], region, frames[1:], motion))


def keys() -> None:
    draw = np.random.default_rng(3)
    plate = np.empty((3, 540, 960), np.float32)
    plate[:] = np.array([0.12, 0.55, 0.18], np.float32)[:, None, None]
    plate[:, 150:400, 380:560] = np.array([0.7, 0.45, 0.35], np.float32)[:, None, None]
    plate += draw.normal(0, 0.006, plate.shape).astype(np.float32)
    screen = Screen(kind="screen", colour=(0.12, 0.55, 0.18))
    known = measure_screen(survey({0: plate}), screen)
    shape = blob(960, 540, 12, 8.0)
    does: tuple[Does, ...] = ("discard_outside", "discard_inside", "keep_inside", "keep_inside")
    each = {}
    for n, what in enumerate(does):
        moved = shape + [600.0 if n else 0.0, 0, 0, 0, 0, 0, 0, 0]
        keys = [{"frame": at, "points": (moved + [at / 9, 0, 0, 0, 0, 0, 0, 0]).tolist()} for at in (0, 900)]
        each[f"m{n}"] = Mask(does=what, course=Course.read({"keys": keys}))
    alone, masked = Recipe(screen=screen), Recipe(screen=screen, masks=Masks(order=tuple(each), each=each))
    frames = count(1)
    with row_bands():
        one = best(lambda: key(plate_of(plate), alone, 0, known), 15)
        still = best(lambda: key(plate_of(plate), masked, 0, known), 15)
        moving = best(lambda: key(plate_of(plate), masked, next(frames), known), 15)
    print(f"key at 960 x 540: {one:.1f} ms, with four masks that stand still {still:.1f} ms, {still / one:.2f} times,")
    print(f"  with four that move {moving:.1f} ms, {moving / one:.2f} times")


def recipes() -> None:
    draw = np.random.default_rng(4)
    each = {}
    for n in range(20):
        keys = [
            {"frame": 5 * k, "points": np.round(draw.uniform(0, 1900, (40, 8)) * ([1] * 6 + [0.1] * 2), 2).tolist()}
            for k in range(50)
        ]
        each[f"m{n}"] = Mask(course=Course.read({"keys": keys}))
    recipe = Recipe(masks=Masks(order=tuple(each), each=each))
    shelf: dict[str, Course] = {}

    def keep(course: Course) -> str:
        shelf[course.digest] = course
        return course.digest

    document_of(recipe, keep)
    digest = recipe.masks.each["m7"].course.digest
    points = np.round(draw.uniform(0, 1900, (40, 8)) * ([1] * 2 + [0] * 6), 1).tolist()
    change = {"masks": {"each": {"m7": {"course": {"of": digest, "keys": {"12": points}}}}}}
    body = len(json.dumps({"base": 100, "changes": change, "change": "x" * 60, "seen": 100}, separators=(",", ":")))
    after = changed(recipe, change, shelf.__getitem__)
    print(f"20 masks of 50 keyframes of 40 points: a change to keep is {body} bytes,")
    print(f"  looked at in {best(lambda: changed(recipe, change, shelf.__getitem__)):.1f} ms, ", end="")
    print(f"told as a difference in {best(lambda: differences(recipe, after, keep)):.1f} ms,")
    kept = document_of(recipe, keep)
    print(f"  read whole in {best(lambda: read_recipe(kept, shelf.__getitem__)):.1f} ms ", end="")
    print(f"({len(json.dumps(kept))} bytes; in full {len(json.dumps(document_of(recipe)))} bytes)")


if __name__ == "__main__":
    # As the web server has it.
    keep_freed_memory()
    rasters()
    following()
    keys()
    recipes()
