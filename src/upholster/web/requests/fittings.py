"""Requests about fittings."""

from typing import Annotated, Any, Literal

from pydantic import Field

from upholster.core.documents.fitting import Fitting
from upholster.core.documents.fitting import changed as changed_fitting
from upholster.studio.fittings.fittings import document_at
from upholster.web.requests.body import Asked, Frame, Hex, Id, Kept, Mark, Standing, Word
from upholster.web.requests.deliveries import RenderAsked


class OfFitting(Standing):
    def read(self, fitting_id: int) -> Fitting:
        return changed_fitting(document_at(fitting_id, self.base), self.changes)


class FittingChange(OfFitting, Kept):
    pass


class LayerMatched(FittingChange):
    layer: Mark


class FittingPicture(OfFitting):
    window: Word
    sequence: Id
    frame: Frame
    quality: Literal["quick", "fine"] = "quick"
    keep: bool = False
    ahead: bool = False


class FittingQuote(OfFitting):
    window: Word
    sequence: Id
    deliveries: list[Any] = Field(min_length=1, max_length=40)
    layer: Mark = ""


class FittingFlat(OfFitting):
    colour: Hex | None = None


class FittingView(Asked):
    """How the page of a fitting was left."""

    frame: Frame | None = None
    chosen: Annotated[str, Field(max_length=12)] | None = None
    delivery: dict[Word, Word | int | float | bool | None] | None = Field(default=None, max_length=60)


class FittingBegun(Asked):
    name: Word = ""
    #: A clip to begin with.
    clip: Id | None = None


class ClipLaid(Asked):
    clip: Id


class TimelineSent(Asked):
    text: str


class LayerSource(Asked):
    """Something to lay into a fitting."""

    kind: Literal["shot", "clip", "footage"]
    id: Id


class FittingRendered(RenderAsked):
    #: The one layer that is wanted; empty for all.
    layer: Mark = ""
