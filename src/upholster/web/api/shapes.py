"""What scripts send and are answered."""

from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field

from upholster.studio.shots.lines import Line

Id = Annotated[int, Field(ge=0, le=2**31 - 1)]


class Answer(BaseModel):
    """An object that is answered."""

    model_config = ConfigDict(extra="forbid")


class Sent(BaseModel):
    """An object that is sent."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)


class Problem(Answer):
    problem: str = Field(description="One sentence: what is wrong, and what to do.")


class Keeping(Answer):
    waiting: bool
    problem: str = Field(description="Why it was not kept; empty where it was, or is waited for.")
    clip: int | None


class Upload(Answer):
    token: str = Field(description="Under which blocks of files are sent.")


class Received(Answer):
    have: int = Field(description="Bytes of the file that are here.")


class Footage(Answer):
    id: int
    name: str
    state: Literal["reading", "ready", "failed"]
    kind: str
    width: int
    height: int
    frames: int
    rate: str = Field(description="Frames a second, as a fraction.")
    alpha: str = Field(description="straight, premultiplied, or empty.")
    shots: list[int]
    problem: str = Field(description="Why it could not be read; empty where it could.")


class FootageList(Answer):
    footage: list[Footage]


class Shot(Answer):
    id: int
    name: str
    footage: int
    revision: int
    change: str = Field(description="What the revision changed.")


class RecipeAnswer(Answer):
    revision: int
    recipe: dict[str, Any] = Field(description="As docs/recipe.md has it, drawings in full.")


class RecipeSent(Sent):
    recipe: dict[str, Any]
    change: str = Field(default="Changed by a script", max_length=200)
    seen: Id | None = Field(default=None, description="The revision it was made from; refused where that is overtaken.")


class RecipeGiven(Sent):
    shots: list[Id] = Field(min_length=1, max_length=1000, description="Those that take it.")
    lines: list[Line] = Field(min_length=1, max_length=20)
    linked: bool = Field(default=False, description="Whether later changes of these lines go to all of them as well.")


class Given(Answer):
    shot: int
    name: str
    revision: int = Field(description="0 where it could not be given.")
    sentences: list[str] = Field(description="What stays its own, or why it could not be given.")


class GivenList(Answer):
    given: list[Given]


class Finding(Answer):
    kind: str
    first: int
    last: int
    worst: int
    severity: float = Field(description="0 to 1.")
    box: tuple[float, float, float, float] = Field(description="Left, top, right, bottom, as shares of the picture.")
    sentence: str
    left_alone: bool


class Findings(Answer):
    missing: int = Field(description="Frames that are still to be measured; they are from now on.")
    findings: list[Finding]


class RenderSent(Sent):
    shot: Id | None = None
    fitting: Id | None = None
    delivery: dict[str, Any] | None = Field(default=None, description="As docs/formats.md has it.")
    ready: str | None = Field(default=None, max_length=80, description="Values that are ready for a need, by name.")
    name: str = Field(default="", max_length=200)


class Render(Answer):
    id: int
    name: str
    shot: int | None
    fitting: int | None
    state: Literal["running", "encoding", "checking", "done", "failed", "cancelled"]
    frames: int
    frames_done: int = Field(description="Of the phase under way.")
    problem: str
    proof: str = Field(description="What the proof says, in words; empty before there is one.")
    clip: int | None = Field(description="The clip that was made.")


class RenderList(Answer):
    renders: list[Render]


class Clip(Answer):
    id: int
    name: str
    file: str
    bytes: int
    width: int
    height: int
    frames: int
    rate: str
    alpha: str
    format: str
    tags: list[str]
    render: int | None


class ClipList(Answer):
    clips: list[Clip]


class TagsSent(Sent):
    tags: list[Annotated[str, Field(max_length=40)]] = Field(max_length=20)


class Fitting(Answer):
    id: int
    name: str
    revision: int


class FittingList(Answer):
    fittings: list[Fitting]


class FittingBegun(Sent):
    name: str = Field(default="", max_length=120)
    document: dict[str, Any] = Field(default={}, description="As docs/fitting.md has it.")


class FittingAnswer(Answer):
    revision: int
    document: dict[str, Any] = Field(description="As docs/fitting.md has it.")


class FittingSent(Sent):
    document: dict[str, Any]
    change: str = Field(default="Changed by a script", max_length=200)
    seen: Id | None = Field(default=None, description="The revision it was made from; refused where that is overtaken.")
