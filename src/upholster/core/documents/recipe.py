"""The recipe: every choice made for a shot, in one JSON document.

One settings model for each line of the work order, put together from those of its stages; `docs/recipe.md`
is generated from them. Unknown fields are refused. Pixels are pixels of the plate, frames are counted from 0
of the footage.
"""

from collections.abc import Callable
from typing import Any, Literal

from pydantic import Field, ValidationError

from upholster.core.documents import sections
from upholster.core.documents.masks import Masks
from upholster.core.documents.migrations import MIGRATIONS
from upholster.core.documents.screen import Screen
from upholster.core.documents.sections import Differences, SectionError, section_error
from upholster.core.documents.settings import Settings
from upholster.core.documents.strokes import Strokes
from upholster.core.documents.traces import Traces
from upholster.core.documents.versions import VersionError, up_to_date
from upholster.core.masks.course import Course
from upholster.core.raster import Raster
from upholster.core.stages.edge.choke import Choke
from upholster.core.stages.edge.edge_colour import EdgeColour
from upholster.core.stages.edge.recover import Recover
from upholster.core.stages.finish.add_grain import AddGrain
from upholster.core.stages.finish.balance import Balance
from upholster.core.stages.finish.grade import Grade
from upholster.core.stages.finish.match import Match
from upholster.core.stages.finish.sharpen import Sharpen
from upholster.core.stages.finish.tint import Tint
from upholster.core.stages.finish.wrap import Wrap
from upholster.core.stages.matte.edge_smoothing import EdgeSmoothing
from upholster.core.stages.matte.fill_holes import FillHoles
from upholster.core.stages.matte.levels import Levels
from upholster.core.stages.matte.see_through import SeeThrough
from upholster.core.stages.matte.specks import Specks
from upholster.core.stages.matte.temporal_denoise import TemporalDenoise
from upholster.core.stages.matte.tracking_marks import TakenMarks
from upholster.core.stages.screen.joined import Region
from upholster.core.stages.screen.qualifier import Qualifier
from upholster.core.stages.take.crop import Crop, borders
from upholster.core.stages.take.turn import Turn, turned
from upholster.core.timemap import Timing

VERSION = 2


class RecipeError(ValueError):
    """The document is not a recipe this version can use; the message says why."""


class Take(Turn, Crop, Timing):
    """Which frames are used and how fast, which part of the picture, and which way up."""

    def result(self, plate: Raster) -> Raster:
        """Where the result lies on a plate: its part, its size and which way up."""
        cut = borders(plate.plate_width, plate.plate_height, **self.at(0, Crop))
        return turned(plate.cropped(*cut)[0], **self.at(0, Turn))


class Matte(Levels, Specks, TakenMarks, FillHoles, SeeThrough, EdgeSmoothing, TemporalDenoise):
    """What counts as clear and what as solid."""

    paused: bool = Field(default=False, description="Use the coverage as measured.")


class Edge(Choke, Recover):
    """Where the edge lies and how soft it is."""

    paused: bool = Field(default=False, description="Leave the edge as it is.")


class Finish(Wrap, AddGrain, Sharpen, Tint, Match, Grade, Balance):
    """How the subject itself looks: its colours, its sharpness, and the light of the scene it goes into."""

    paused: bool = Field(default=False, description="Leave the subject as it was shot.")


class Recipe(Settings):
    """Every choice made for a shot."""

    version: Literal[2] = 2
    take: Take = Take()
    screen: Screen = Screen()
    region: Region = Region()
    qualifier: Qualifier = Qualifier()
    matte: Matte = Matte()
    masks: Masks = Masks()
    traces: Traces = Traces()
    edge: Edge = Edge()
    edge_colour: EdgeColour = EdgeColour()
    finish: Finish = Finish()


#: What is drawn on the picture: outlines of masks, strokes of traces.
Drawing = Course | Strokes
#: Drawings that are kept elsewhere: what finds one by its digest, and what keeps one and gives its digest.
Find = Callable[[str], Drawing]
Keep = Callable[[Drawing], str]


def read_recipe(document: object, find: Find | None = None) -> Recipe:
    """A recipe from parsed JSON, older versions migrated.

    Parameters
    ----------
    find
        Finds drawings that the document has by their digest; raises ValueError where there is none. Without it,
        they have to be in the document.

    Raises
    ------
    RecipeError
        With one sentence that names the field and what is wrong with it.
    """
    if not isinstance(document, dict):
        raise RecipeError("A recipe is a JSON object; this is not one.")
    try:
        current = up_to_date(document, VERSION, MIGRATIONS, "recipe")
        return Recipe.model_validate(current, context={"find": find})
    except VersionError as error:
        raise RecipeError(str(error)) from None
    except ValidationError as error:
        raise _sentence(section_error(error)) from None


def document_of(recipe: Recipe, keep: Keep | None = None) -> dict[str, Any]:
    """A recipe as JSON, with outlines in full, or by the digests that `keep` gives."""
    return recipe.model_dump(mode="json", context={"keep": keep})


def differences(before: Recipe, after: Recipe, keep: Keep | None = None) -> Differences:
    """What has to be changed in one recipe to make it another; `changed` does it."""
    return sections.differences(before, after, {"keep": keep})


def changed(recipe: Recipe, changes: Differences, find: Find | None = None) -> Recipe:
    """A recipe with other values of some fields; only what changes is looked at again.

    Raises
    ------
    RecipeError
        With one sentence that names the field and what is wrong with it.
    """
    try:
        return sections.changed(recipe, changes, {"find": find})
    except SectionError as error:
        raise _sentence(error) from None


def _sentence(error: SectionError) -> RecipeError:
    return RecipeError(f"Recipe field “{error.where}”: {error.why}.")
