"""Requests about a recipe: what is asked of it, and changes of it."""

from typing import Annotated, Any, Self

from pydantic import Field, model_validator

from upholster.core.documents.recipe import Recipe, changed
from upholster.core.documents.screen import POINTS, Of
from upholster.core.screen.sampled import Spot
from upholster.studio import drawings
from upholster.studio.shots.lines import Line
from upholster.studio.shots.shots import recipe_of
from upholster.web.requests.body import Asked, Frame, Id, Kept, Standing, Word


class OfRecipe(Standing):
    def read(self, shot_id: int) -> Recipe:
        return changed(recipe_of(shot_id, self.base), self.changes, drawings.find)


class OfFrame(OfRecipe):
    frame: Frame


class Sequenced(OfRecipe):
    """One of a row of questions of a window, of which only the newest matters."""

    window: Word
    sequence: Id


class Change(OfRecipe, Kept):
    pass


class Seen(Asked):
    seen: Id


class Place(Asked):
    """A square of the plate."""

    frame: Frame
    x: float
    y: float
    radius: float = Field(gt=0, le=10_000)


class Marked(Place):
    """A place that is marked as ground, subject or veil: a square, a rectangle, or a scribble along `course`."""

    of: Of = "ground"
    half_height: float | None = Field(default=None, gt=0, le=10_000)
    course: tuple[tuple[float, float], ...] = Field(default=(), max_length=POINTS)

    @property
    def spot(self) -> Spot:
        return Spot(self.x, self.y, self.radius, self.half_height, self.course)


class ScreenChange(Change):
    """Another screen, or one more place that is marked."""

    screen: dict[Word, Any] | None = None
    measure: Marked | None = None

    @model_validator(mode="after")
    def _one_of_both(self) -> Self:
        if (self.screen is None) == (self.measure is None):
            raise ValueError("say either a screen or a place to measure")
        return self


class DecisionSent(Change):
    text: Annotated[str, Field(max_length=1_000_000)]


class RecipeGiven(Asked):
    """Lines of a shot's recipe for other shots."""

    source: Id
    shots: list[Id] = Field(min_length=1, max_length=1000)
    lines: list[Line] = Field(max_length=20)


class LineFollowed(Asked):
    """Whether a line of a linked shot is as it is in its family."""

    line: Line
    follows: bool
