"""Masks that follow what is under them, thinned, and proposed."""

from typing import Literal, NamedTuple

import numpy as np
from numpy.typing import NDArray

from upholster.core.colour import luma_weights
from upholster.core.documents.masks import Mask
from upholster.core.documents.recipe import Recipe
from upholster.core.first_recipe import garbage_mask, propose_garbage_mask
from upholster.core.masks import thinned
from upholster.core.masks.course import Course
from upholster.core.masks.coverage import coverage
from upholster.core.masks.follow import Lost, Motion, carried, follow, follow_points
from upholster.core.raster import Raster
from upholster.store.models import Footage
from upholster.studio.errors import Refused
from upholster.studio.looking import plates
from upholster.studio.shots.screens import knowledge, survey_of

#: Most frames that are followed for one question.
MOST_FRAMES = 24


class Carried(NamedTuple):
    """A shape as it was followed to a frame, with how far features missed their place, in pixels of the plate."""

    frame: int
    points: list[list[float]]
    error: float


class Followed(NamedTuple):
    """As far as a mask was followed; why not further, where it was lost."""

    steps: list[Carried]
    lost: str


def mask_of(recipe: Recipe, mark: str) -> Mask:
    """A mask by its mark.

    Raises
    ------
    Refused
        Where there is none.
    """
    if mark not in recipe.masks.each:
        raise Refused("This mask is not here any more.")
    return recipe.masks.each[mark]


def follow_mask(
    footage: Footage, recipe: Recipe, mark: str, frame: int, way: int, motion: Motion | Literal["points"]
) -> Followed:
    """Carry a mask's shape from a frame on to the next ones (`way` 1) or those before (-1)."""
    mask, length = mask_of(recipe, mark), int(footage.facts["length"])
    plates.must_have(footage, frame)
    if not mask.course.covers:
        raise Refused("Close the shape first; it needs three points or more.")
    numbers = range(frame + way, max(-1, min(length, frame + way * (MOST_FRAMES + 1))), way)
    points = mask.course.at(frame)
    first = _grey(footage, frame)
    height, width = first.shape
    raster = Raster.of_plate(int(footage.facts["width"]), int(footage.facts["height"])).resized(width, height)
    region = (coverage(points, raster).over(height, width) > 0.5).astype(np.uint8) * 255
    to_picture = np.diag([raster.across, raster.down, 1.0])
    placed = carried(points, to_picture)
    frames = (_grey(footage, n) for n in numbers)
    steps: list[Carried] = []
    try:
        if motion == "points":
            shapes = follow_points(first, placed, frames)
        else:
            shapes = ((carried(placed, move.matrix), move.error) for move in follow(first, region, frames, motion))
        for number, (shape, error) in zip(numbers, shapes, strict=True):
            here = carried(shape, np.linalg.inv(to_picture))
            steps.append(Carried(number, np.round(here, 2).tolist(), round(error / raster.length(1.0), 3)))
    except Lost as lost:
        return Followed(steps, f"Lost on frame {frame + way * (len(steps) + 1)}: {lost}.")
    return Followed(steps, "")


def _grey(footage: Footage, number: int) -> NDArray[np.uint8]:
    rgb = plates.proxy_of(footage).frame(number).rgb
    grey = np.tensordot(np.array(luma_weights("bt709"), np.float32), rgb, axes=1)
    return np.asarray(np.rint(grey.clip(0, 1) * 255), np.uint8)


def thin(recipe: Recipe, mark: str, tolerance: float) -> Course:
    """The outline of a mask with as few keyframes as keep it within `tolerance` pixels of the plate."""
    return thinned.thinned(mask_of(recipe, mark).course, tolerance)


def proposed(footage: Footage, recipe: Recipe) -> Mask:
    """A loose garbage mask from the key of a shot, over the whole clip."""
    known = knowledge(footage, recipe.screen)
    if known is None:
        raise Refused("Nothing is taken out of this shot, so it has no screen to stay within. Measure one first.")
    survey = survey_of(footage)
    found = propose_garbage_mask(survey, recipe.screen, known)
    if found is None:
        raise Refused("No subject was found before the screen. Draw the mask instead.")
    return garbage_mask(found.course, survey)
