"""The first recipe of a shot, from a survey of it alone."""

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from upholster.core.documents.masks import Mask, Masks
from upholster.core.documents.recipe import Matte, Recipe, Take
from upholster.core.documents.screen import Screen
from upholster.core.documents.tracks import value_at
from upholster.core.masks.course import Course
from upholster.core.masks.propose import Proposal
from upholster.core.masks.propose import propose as propose_mask
from upholster.core.raster import Raster, scale_of
from upholster.core.screen.clean_plate import ScreenKnowledge, measure_screen
from upholster.core.screen.metric import to_metric
from upholster.core.screen.propose import propose, screen_name
from upholster.core.screen.report import matte_of, report
from upholster.core.screen.survey import Survey

#: How many standard deviations of the grain are taken as clear.
GRAIN = 3.0
#: How narrow holes that are closed are, in pixels of a plate 960 wide or high; and at least.
_HOLES, _FEWEST = 12.0, 8.0

#: How soft the edge of a proposed mask is, as a share of the picture's height: less than what it stays off the rim.
_SOFT = 0.005

#: Coverage changes by less than this between neighbouring cells inside a subject.
_LEVEL = 0.1


class FirstLook(NamedTuple):
    recipe: Recipe
    sentences: tuple[str, ...]


def first_look(survey: Survey, pixel_aspect: float = 1.0) -> FirstLook:
    """A recipe proposed from what was measured, with two or three sentences that say what that was.

    `pixel_aspect` is the width of the footage's pixels over their height: they are made square.
    """
    screen, reasons = propose(survey)
    known = measure_screen(survey, screen)
    take = Take(pixel_aspect=pixel_aspect)
    if known is None:
        return FirstLook(Recipe(take=take, screen=screen), reasons)
    recipe = Recipe(take=take, screen=screen, matte=propose_matte(survey, screen, known))
    garbage = propose_garbage_mask(survey, screen, known)
    if garbage is not None and garbage.needed:
        masks = Masks(order=("m1",), each={"m1": garbage_mask(garbage.course, survey)})
        recipe = recipe.model_copy(update={"masks": masks})
        reasons = (*reasons, "A garbage mask leaves out what stands around the screen.")
    return FirstLook(recipe, (*reasons, *_told(survey, recipe, known)))


def found(survey: Survey, recipe: Recipe, known: ScreenKnowledge | None, first: FirstLook) -> tuple[str, ...]:
    """The sentences that hold of a shot as its recipe has it, where `first` is what was proposed for it."""
    if recipe == first.recipe:
        return first.sentences
    if recipe.screen.kind == "none" or known is None:
        return ("Nothing is taken out of this shot.",) if first.recipe.screen.kind != "none" else first.sentences
    if recipe.screen == first.recipe.screen:
        return (first.sentences[0], *_told(survey, recipe, known))
    places = len(recipe.screen.ground)
    how = f"was measured at {places} place{'s' if places > 1 else ''}" if places else "was chosen by hand"
    return (f"The {screen_name(recipe.screen)} {how}.", *_told(survey, recipe, known))


def _told(survey: Survey, recipe: Recipe, known: ScreenKnowledge) -> tuple[str, ...]:
    clear = float(value_at(recipe.matte.black_point, 0))
    grain = f"Its grain is {known.noise * 255:.1f} code values; the matte is clear below {clear:.1%}."
    light = () if known.steady else ("The light on the screen changes over the shot; the clean plate follows it.",)
    gone = known.marks is not None and recipe.matte.tracking_marks
    marks = ("Tracking marks on the screen are taken out (line 3).",) if gone else ()
    return (grain, *light, *marks, *report(survey, recipe, known).sentences())


def propose_garbage_mask(survey: Survey, screen: Screen, known: ScreenKnowledge) -> Proposal | None:
    """A loose mask around the subject and within the screen; None where no screen is seen."""
    rows, columns = survey.mean.shape[2:]
    raster = Raster.of_plate(survey.width, survey.height, columns, rows)
    covers = {int(n): matte_of(mean, screen.kind, known) for n, mean in zip(survey.frames, survey.mean, strict=True)}
    return propose_mask(covers, raster)


def garbage_mask(course: Course, survey: Survey) -> Mask:
    """A garbage mask of a course, soft enough that its edge does not show on a screen that is not quite clear."""
    return Mask(name="Garbage", does="discard_outside", feather=round(_SOFT * survey.height, 1), course=course)


def propose_matte(survey: Survey, screen: Screen, known: ScreenKnowledge) -> Matte:
    """Clear and solid points that follow from the measured grain, and holes closed by the plate's size.

    Clear lies `GRAIN` deviations of the grain above nothing, in units of coverage. Solid lies where
    the raw matte of what is surely subject begins to vary. Thin glow has no solid inside, and no holes.
    """
    strength = float(np.linalg.norm(to_metric(known.plate), axis=0).mean())
    if screen.kind in ("dark", "light"):
        clear = min(0.1, GRAIN * known.noise)
        return Matte(black_point=round(clear, 3), white_point=1.0)
    clear = min(0.3, 0.01 + GRAIN * known.noise / max(strength, 0.05))
    inside = np.concatenate([_inside(matte_of(mean, screen.kind, known)) for mean in survey.mean])
    solid = float(np.clip(np.quantile(inside, 0.02) - 0.01, 0.8, 0.98)) if inside.size > 50 else 0.98
    holes = round(2 * _HOLES * scale_of(survey.width, survey.height)) / 2
    holes = min(max(holes, _FEWEST), Matte.tracks()["fill_holes"]["high"])
    return Matte(black_point=round(clear, 3), white_point=round(solid, 3), fill_holes=holes)


def _inside(matte: NDArray[np.float32]) -> NDArray[np.float32]:
    """Coverage of the cells well inside the subject, and not within a blurred edge."""
    deep = cv2.erode((matte > 0.75).astype(np.uint8), np.ones((5, 5), np.uint8))
    around = np.ones((3, 3), np.uint8)
    level = cv2.dilate(matte, around) - cv2.erode(matte, around) < _LEVEL
    return matte[(deep > 0) & level]
