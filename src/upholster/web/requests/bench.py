"""Requests for what the Bench shows."""

from typing import Annotated, Literal

from pydantic import Field

from upholster.web.requests.body import Asked, Frame, Hex, Share, Word
from upholster.web.requests.recipes import OfFrame, OfRecipe, Sequenced


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
    #: Nobody waits for it: it is made while the hand rests.
    ahead: bool = False
    #: For a slow link: see `look.packed`.
    packed: bool = False


class SoundAsked(OfRecipe):
    taken: bool = False


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
