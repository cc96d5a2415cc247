"""What requests ask for: one model per body, checked before anything is done with it."""

from typing import Annotated, Any, Literal, Self, TypeVar

from flask import request
from pydantic import BaseModel, ConfigDict, Field, ValidationError, model_validator
from werkzeug.exceptions import BadRequest

from upholster.core.documents.fitting import Fitting
from upholster.core.documents.fitting import changed as changed_fitting
from upholster.core.documents.recipe import Recipe, changed
from upholster.core.documents.screen import POINTS, Of
from upholster.core.screen.sampled import Spot
from upholster.studio import drawings
from upholster.studio.errors import Refused
from upholster.studio.fittings.fittings import document_at
from upholster.studio.shots.lines import Line
from upholster.studio.shots.shots import recipe_of

Body = TypeVar("Body", bound="Asked")

#: Numbers of rows, as the database counts them.
Id = Annotated[int, Field(ge=0, le=2**31 - 1)]
Frame = Annotated[int, Field(ge=-(2**31), le=2**31 - 1)]
Word = Annotated[str, Field(max_length=300)]
Hex = Annotated[str, Field(pattern="^#[0-9a-fA-F]{6}$")]
Mark = Annotated[str, Field(max_length=12)]


class Asked(BaseModel):
    """A JSON object that a request sends."""

    model_config = ConfigDict(extra="ignore", allow_inf_nan=False)


class OfRecipe(Asked):
    """What is asked of a recipe as it stands in the window: a revision, and what was changed since."""

    base: Id
    changes: dict[Word, dict[Word, Any]] = Field(default={}, max_length=20)

    def read(self, shot_id: int) -> Recipe:
        return changed(recipe_of(shot_id, self.base), self.changes, drawings.find)


class OfFitting(Asked):
    """What is asked of a fitting as it stands in the window: a revision, and what was changed since."""

    base: Id
    changes: dict[Word, dict[Word, Any]] = Field(default={}, max_length=20)

    def read(self, fitting_id: int) -> Fitting:
        return changed_fitting(document_at(fitting_id, self.base), self.changes)


class FittingChange(OfFitting):
    """A fitting to keep, the revision in force that was seen, and whether to go on beside what came since."""

    change: Word = ""
    seen: Id
    branch: bool = False


class LayerMatched(FittingChange):
    layer: Mark


class SoundAsked(OfRecipe):
    taken: bool = False


class FittingPicture(OfFitting):
    window: Word
    sequence: Id
    frame: Frame
    quality: Literal["quick", "fine"] = "quick"
    keep: bool = False


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


class MadeAgain(Asked):
    """A clip in another format: a preset, or a delivery."""

    preset: Id | None = None
    delivery: Any = None


class TimelineSent(Asked):
    text: str


class LayerSource(Asked):
    """Something to lay into a fitting."""

    kind: Literal["shot", "clip", "footage"]
    id: Id


class Change(OfRecipe):
    """A recipe to keep, the revision in force that was seen, and whether to go on beside what came since."""

    change: Word = ""
    seen: Id
    branch: bool = False


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


class Finished(Change):
    """What is to be measured for a finish, and over what the result lies."""

    measure: Literal["neutral", "scene", "grain"]
    footage: Id | None = None
    colour: Hex | None = None


class GreyPicked(Change):
    grey: Place


class DecisionSent(Change):
    text: Annotated[str, Field(max_length=1_000_000)]


class Sequenced(OfRecipe):
    """One of a row of questions of a window, of which only the newest matters."""

    window: Word
    sequence: Id


class PictureAsked(Sequenced):
    frame: Frame
    plate: bool = False
    #: Frames are counted as they are delivered.
    taken: bool = False
    #: The borders that are cut away are shown as well.
    whole: bool = False
    quality: Literal["quick", "fine"] = "quick"
    #: All pictures are wanted, as while a clip plays.
    keep: bool = False
    #: For a slow link: see `look.packed`.
    packed: bool = False


class OfFrame(OfRecipe):
    frame: Frame


class Follow(OfFrame):
    """A mask to carry on from a frame."""

    mask: Word
    way: Literal[1, -1]
    motion: Literal["translation", "similarity", "affine", "perspective", "points"] = "similarity"


class Thin(OfRecipe):
    mask: Word
    tolerance: float = Field(ge=0, le=100)


class OfTrace(OfRecipe):
    trace: Word


class NamedTrace(Asked):
    trace: Word


Share = Annotated[float, Field(ge=0, le=1)]
Box = tuple[Share, Share, Share, Share]


class OfFinding(Asked):
    """A finding, by its kind and its place on its worst frame."""

    kind: Word
    worst: Frame
    box: Box


class LeftAlone(Asked):
    """What is not to be told of: a kind, or one place of it on some frames."""

    kind: Word
    box: Box | None = None
    first: Frame = 0
    last: Frame = 0


class ToldAgain(Asked):
    #: Which of what is left alone; all where there is none.
    number: Id | None = None


class SvgSent(Asked):
    svg: Annotated[str, Field(max_length=8 << 20)]


class OfMattes(Asked):
    """Footage that is a matte."""

    footage: Word


class Readout(OfFrame):
    x: Frame
    y: Frame


class ViewState(Asked):
    """How the Bench was left."""

    version: Literal[1] = 1
    frame: Frame | None = None
    output: Frame | None = None
    taken: bool | None = None
    view: Literal["result", "matte", "plate", "split", "outline", "dimmed", "trouble"] | None = None
    ground: Literal["checker", "colour", "footage"] | None = None
    colour: Hex | None = None
    footage: Annotated[str, Field(max_length=12)] | None = None
    split: Annotated[float, Field(ge=0, le=1)] | None = None
    surround: Literal["dark", "mid", "light"] | None = None
    #: The place of the picture that is looked at beside the first, 0..1.
    beside: tuple[Share, Share] | None = None
    #: Whether it plays without sound.
    hushed: bool | None = None
    #: Whether what is wrong is looked for, and the kinds that are not shown.
    measured: bool | None = None
    #: Whether it is asked what could be something else, and of which places it is known: see `bench/doubts.js`.
    asks: bool | None = None
    certain: list[Annotated[str, Field(max_length=40)]] | None = Field(default=None, max_length=100)
    unseen: list[Annotated[str, Field(max_length=12)]] | None = Field(default=None, max_length=20)
    unfolded: list[Annotated[int, Field(ge=1, le=20)]] | None = Field(default=None, max_length=20)
    delivery: dict[Word, Word | int | float | bool | None] | None = Field(default=None, max_length=60)


class RenderAsked(Asked):
    revision: Id
    deliveries: list[Any] = Field(max_length=40)
    name: Word = ""


class FittingRendered(RenderAsked):
    #: The one layer that is wanted; empty for all.
    layer: Mark = ""


class Quote(Sequenced):
    deliveries: list[Any] = Field(min_length=1, max_length=40)


class Flat(OfRecipe):
    colour: Hex | None = None


class Named(Asked):
    name: Word


class PresetKept(Asked):
    name: Word
    delivery: Any


class Batch(Asked):
    shots: list[Id] = Field(max_length=1000)
    preset: Id | None = None
    delivery: Any = None


class RecipeGiven(Asked):
    """Lines of a shot's recipe for other shots."""

    source: Id
    shots: list[Id] = Field(min_length=1, max_length=1000)
    lines: list[Line] = Field(max_length=20)


class FolderWatched(Asked):
    """A folder to watch: whose recipe what lands is keyed by, and what is made of it."""

    folder: Annotated[str, Field(max_length=4096)]
    shot: Id | None = None
    delivery: dict[str, Any] = Field(default={}, max_length=60)
    preset: Id | None = None
    report: bool = False


class LineFollowed(Asked):
    """Whether a line of a linked shot is as it is in its family."""

    line: Line
    follows: bool


class UploadBegun(Asked):
    #: Bytes of all files together, where they are known.
    size: int = Field(default=0, ge=0, le=2**53)


class UploadDone(Asked):
    name: str


def asked_for(model: type[Body]) -> Body:
    """The request's JSON object.

    Raises
    ------
    BadRequest
        Where it is no JSON object.
    Refused
        With one sentence that names the field and what is wrong with it.
    """
    try:
        body = request.get_json()
    except RecursionError:
        raise BadRequest("the JSON is nested too deeply") from None
    if not isinstance(body, dict):
        raise BadRequest("a JSON object was expected")
    try:
        return model.model_validate(body)
    except (ValidationError, RecursionError) as error:
        raise Refused(sentence_of(error)) from None


def number_asked(name: str) -> int:
    """A whole number of the address."""
    given = request.args.get(name, "")
    if not given.isascii() or not given.isdigit() or len(given) > 18:
        raise Refused(f"“{name}” must be a whole number that is not negative.")
    return int(given)


def sentence_of(error: ValidationError | RecursionError) -> str:
    """What is wrong with a body, by the field it is in."""
    if isinstance(error, RecursionError):
        return "The request is nested too deeply."
    first = error.errors(include_input=False)[0]
    where = ".".join(str(part) for part in first["loc"])[:80]
    said = first["msg"].removeprefix("Value error, ")
    return f"“{where}”: {said}." if where else f"{said[:1].upper()}{said[1:]}."
