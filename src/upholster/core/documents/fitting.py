"""A fitting: clips placed in layers over a ground, in one JSON document.

Pixels are pixels of the fitting, counted from its centre; frames are frames of the fitting.
"""

from fractions import Fraction
from typing import Annotated, ClassVar, Literal, Self

from pydantic import BeforeValidator, Field, PlainSerializer, ValidationError

from upholster.core.documents import sections
from upholster.core.documents.ordered import Ordered
from upholster.core.documents.recipe import Finish
from upholster.core.documents.sections import Differences, SectionError, section_error
from upholster.core.documents.settings import Settings
from upholster.core.documents.tracks import Track, track
from upholster.core.documents.versions import VersionError, up_to_date
from upholster.core.timemap import Timing

VERSION = 1
#: Sides of a fitting, and the number of frames it can have.
SMALLEST, LARGEST, LONGEST = 16, 8192, 100_000

Blend = Literal["over", "add", "screen", "multiply"]
#: What a layer shows once its pictures have ended.
After = Literal["gone", "hold", "loop"]
Hex = Annotated[str, Field(pattern="^#[0-9a-fA-F]{6}$")]


def proposed_blend(ground: str) -> Blend:
    """How an element joins by itself, by what it was shot before: from the dark light is added, ink darkens."""
    joins: dict[str, Blend] = {"dark": "add", "light": "multiply"}
    return joins.get(ground, "over")


class FittingError(ValueError):
    """The document is not a fitting this version can use; the message says why."""


def _rate(given: object) -> Fraction:
    try:
        rate = Fraction(str(given)[:24])
    except (ValueError, ZeroDivisionError):
        raise ValueError("a rate is a number like 24, 23.976 or 24000/1001") from None
    if not 1 <= rate <= 240:
        raise ValueError("a rate lies between 1 and 240 frames a second")
    return rate


Rate = Annotated[Fraction, BeforeValidator(_rate), PlainSerializer(str)]


class Source(Settings):
    """Where pictures come from."""

    kind: Literal["file", "shot", "clip", "footage"] = Field(
        description="`file`: a path, on the command line; `shot`: keyed live by its recipe in force; `clip`: from the "
        "stockroom; `footage`: as it was brought in."
    )
    id: int | None = Field(default=None, ge=1, le=2**31 - 1, description="Number of the shot, clip or footage.")
    path: str = Field(default="", max_length=4096, description="The file, or a numbered pattern.")
    revision: int | None = Field(default=None, ge=1, description="Of a shot: a revision; null for that in force.")
    recipe: str = Field(default="", max_length=4096, description="A recipe's file, by which a `file` is keyed.")


class Repeat(Settings):
    """One layer shown many times: each copy a step further, and a little elsewhere."""

    copies: int = Field(default=1, ge=1, le=200, description="How often it is there.")
    step_x: float = Field(default=0.0, ge=-8192, le=8192, description="Each copy further to the right, px.")
    step_y: float = Field(default=0.0, ge=-8192, le=8192, description="Each copy further down, px.")
    step_frames: float = Field(default=0.0, ge=-10_000, le=10_000, description="Each copy later, in frames.")
    step_scale: float = Field(default=0.0, ge=-1, le=1, description="Each copy larger by this share.")
    step_turn: float = Field(default=0.0, ge=-360, le=360, description="Each copy turned further, in degrees.")
    spread_x: float = Field(default=0.0, ge=0, le=8192, description="At random to the right or left, up to px.")
    spread_y: float = Field(default=0.0, ge=0, le=8192, description="At random up or down, up to px.")
    spread_frames: float = Field(default=0.0, ge=0, le=10_000, description="At random earlier or later, up to frames.")
    spread_scale: float = Field(default=0.0, ge=0, le=0.95, description="At random larger or smaller, up to a share.")
    spread_turn: float = Field(default=0.0, ge=0, le=180, description="At random turned, up to degrees.")
    seed: int = Field(default=1, ge=0, le=2**31 - 1, description="The same seed, the same picture.")


class Layer(Timing):
    """Pictures laid into a fitting: where, how large, when, and how they join what lies below."""

    name: str = Field(default="Layer", min_length=1, max_length=80, description="What it is called.")
    source: Source
    x: Track = track(0.0, -16384.0, 16384.0, step=1, unit="px", doc="Its anchor, right of the fitting's centre.")
    y: Track = track(0.0, -16384.0, 16384.0, step=1, unit="px", doc="Its anchor, below the fitting's centre.")
    scale: Track = track(1.0, 0.005, 20.0, step=0.01, doc="Its size, as a share of its own.")
    stretch: Track = track(1.0, 0.05, 20.0, step=0.01, doc="Its width once more, as a share.")
    turn: Track = track(0.0, -3600.0, 3600.0, step=1, unit="°", doc="Turned clockwise.")
    anchor_x: Track = track(0.5, -2.0, 3.0, step=0.01, doc="Its anchor, as a share of its width.")
    anchor_y: Track = track(0.5, -2.0, 3.0, step=0.01, doc="Its anchor, as a share of its height.")
    opacity: Track = track(1.0, 0.0, 1.0, step=0.01, doc="How much it covers.")
    crop_left: Track = track(0.0, 0.0, 1.0, step=0.01, doc="Cut away at its left, as a share of its width.")
    crop_right: Track = track(0.0, 0.0, 1.0, step=0.01, doc="Cut away at its right.")
    crop_top: Track = track(0.0, 0.0, 1.0, step=0.01, doc="Cut away at its top, as a share of its height.")
    crop_bottom: Track = track(0.0, 0.0, 1.0, step=0.01, doc="Cut away at its bottom.")
    blend: Blend = Field(default="over", description="How it joins what lies below.")
    start: int = Field(default=0, ge=-LONGEST, le=LONGEST, description="Frame of the fitting it begins on.")
    length: int | None = Field(default=None, ge=1, le=LONGEST, description="Frames it is there; null to its end.")
    after: After = Field(default="loop", description="Once its pictures end: it is gone, holds, or begins again.")
    repeat: Repeat = Repeat()
    finish: Finish = Finish()
    gain: Track = track(0.0, -60.0, 24.0, step=0.5, unit="dB", doc="How loud its sound is; -60 is silent.")
    fade_in: int = Field(default=0, ge=0, le=LONGEST, description="Frames over which its sound comes up.")
    fade_out: int = Field(default=0, ge=0, le=LONGEST, description="Frames over which its sound goes away at the end.")
    muted: bool = Field(default=False, description="Leave its sound out.")
    hidden: bool = Field(default=False, description="Leave it out.")
    locked: bool = Field(default=False, description="Whether the pointer leaves it alone.")
    solo: bool = Field(default=False, description="Show only those that are solo.")


class Layers(Ordered[Layer]):
    """The layers of a fitting, from the bottom to the top."""

    called: ClassVar[str] = "layers"

    @property
    def shown(self) -> tuple[tuple[str, Layer], ...]:
        """Those that are seen, with their marks, from the bottom to the top."""
        each = [(mark, self.each[mark]) for mark in self.order if not self.each[mark].hidden]
        solo = [one for one in each if one[1].solo]
        return () if self.paused else tuple(solo or each)


class Ground(Settings):
    """What lies below all layers."""

    colour: Hex | None = Field(default="#000000", description="One colour; null for none.")
    source: Source | None = Field(default=None, description="A still or a clip, which fills the frame.")


class Sound(Settings):
    """What becomes of the sounds of all layers together."""

    limited: bool = Field(default=False, description="Turn it down where it would go beyond full scale.")


class Frame(Settings):
    """Its size, its rate and its length."""

    width: int = Field(default=1920, ge=SMALLEST, le=LARGEST, description="Its width in pixels.")
    height: int = Field(default=1080, ge=SMALLEST, le=LARGEST, description="Its height.")
    rate: Rate = Field(default=Fraction(24), description="Frames a second.")
    length: int = Field(default=96, ge=1, le=LONGEST, description="Its frames.")


class Fitting(Settings):
    """Clips placed in layers over a ground."""

    version: Literal[1] = 1
    frame: Frame = Frame()
    ground: Ground = Ground()
    layers: Layers = Layers()
    sound: Sound = Sound()

    def alone(self, layer: str) -> Self:
        """One layer of it, by its mark or its name, over nothing.

        Raises
        ------
        FittingError
        """
        found = [m for m, one in self.layers.each.items() if layer in (m, one.name)]
        if len(found) != 1:
            raise FittingError(f"This fitting has {'no' if not found else 'several'} layers called {layer}.")
        one = self.layers.each[found[0]].model_copy(update={"hidden": False, "blend": "over"})
        layers = Layers(order=(found[0],), each={found[0]: one})
        return self.model_copy(update={"layers": layers, "ground": Ground(colour=None)})


def read_fitting(document: object) -> Fitting:
    """A fitting from parsed JSON.

    Raises
    ------
    FittingError
        With one sentence that names the field and what is wrong with it.
    """
    if not isinstance(document, dict):
        raise FittingError("A fitting is a JSON object; this is not one.")
    try:
        return Fitting.model_validate(up_to_date(document, VERSION, {}, "fitting"))
    except VersionError as error:
        raise FittingError(str(error)) from None
    except ValidationError as error:
        raise _sentence(section_error(error)) from None


def changed(fitting: Fitting, changes: Differences) -> Fitting:
    """A fitting with other values of some fields.

    Raises
    ------
    FittingError
        With one sentence that names the field and what is wrong with it.
    """
    try:
        return sections.changed(fitting, changes)
    except SectionError as error:
        raise _sentence(error) from None


def _sentence(error: SectionError) -> FittingError:
    return FittingError(f"Fitting field “{error.where}”: {error.why}.")
