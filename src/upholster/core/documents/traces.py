"""Traces: mattes from brush strokes, carried over a part of the clip, and what each does."""

from dataclasses import dataclass
from typing import Any, ClassVar, Literal, Self

from pydantic import Field, model_validator

from upholster.core.documents.masks import Does, Joins, Line, Part
from upholster.core.documents.ordered import Ordered
from upholster.core.documents.settings import Settings
from upholster.core.documents.strokes import Strokes
from upholster.core.documents.tracks import LAST_FRAME, Track, track, value_at

Direction = Literal["both", "forward", "backward"]


class Trace(Part):
    """A subject brushed over on some frames, and what is done with its matte."""

    name: str = Field(default="Trace", min_length=1, max_length=80, description="What it is called.")
    base: int = Field(default=0, ge=0, le=LAST_FRAME, description="The frame from which its matte is carried.")
    first: int = Field(default=0, ge=0, le=LAST_FRAME, description="The first frame it has a matte on.")
    last: int = Field(default=LAST_FRAME, ge=0, le=LAST_FRAME, description="The last one, as far as there are frames.")
    direction: Direction = Field(
        default="both", description="Which way its matte is carried from the base frame; none lies the other way."
    )
    corrects_back: bool = Field(
        default=True,
        description="Whether what is brushed on another frame also changes those between it and the one brushed "
        "before; else they stay as they were carried.",
    )
    band: float = Field(
        default=3.0,
        ge=1.0,
        le=40.0,
        description="How far to either side of the outline the edge is looked for by its colours, in pixels of the "
        "plate; rims and strands are looked for further out as well, whatever it says.",
    )
    strokes: Strokes = Field(default=Strokes(), description="What was brushed, on which frames.")
    choke: Track = track(0.0, -20.0, 20.0, step=0.1, unit="px", doc="Its edge in (+) or out (-).")
    feather: Track = track(0.0, 0.0, 50.0, step=0.1, unit="px", doc="How far its edge is blurred (sigma).")
    softness: Track = track(1.0, 0.0, 1.0, step=0.01, doc="How much of its softness the edge keeps: 0 is a hard one.")
    calm: Track = track(0.0, 0.0, 1.0, step=0.01, doc="How much of what flickers from frame to frame is taken out.")

    @model_validator(mode="after")
    def _spanned(self) -> Self:
        if not self.first <= self.base <= self.last:
            raise ValueError(f"the base frame {self.base} lies outside of the span {self.first} to {self.last}")
        return self

    @property
    def reach(self) -> tuple[int, int]:
        """The first and last frame it has a matte on."""
        return (
            self.base if self.direction == "forward" else self.first,
            self.base if self.direction == "backward" else self.last,
        )

    def span(self, length: int) -> range:
        """The frames it has a matte on, in a clip of so many."""
        first, last = self.reach
        return range(min(first, length), min(last + 1, length))

    @property
    def carried(self) -> tuple[object, ...]:
        """All that its mattes depend on."""
        return self.strokes.digest, self.base, *self.reach, self.corrects_back, self.band

    @property
    def anchors(self) -> tuple[int, ...]:
        """The frames that were brushed on, within the span, rising; none where the base frame was not."""
        first, last = self.reach
        frames = tuple(frame for frame in self.strokes.frames if first <= frame <= last)
        return frames if self.base in frames else ()


@dataclass(frozen=True)
class Shown:
    """A trace as it is on one frame.

    Attributes
    ----------
    strokes : Strokes
        With `base`, what its matte was carried from.
    """

    does: Does
    line: Line
    joins: Joins
    choke: float
    feather: float
    softness: float
    calm: float
    frame: int
    trace: Trace
    opacity: float = 1.0

    def __repr__(self) -> str:
        """What a result depends on, in full: the digest of a stage is made of it."""
        told = (self.does, self.line, self.joins, self.choke, self.feather, self.softness, self.calm, self.frame)
        return repr((*told, *self.trace.carried))


class Traces(Ordered[Trace]):
    """Mattes from brush strokes, in the order in which they join."""

    called: ClassVar[str] = "traces"
    most: ClassVar[int] = 20

    def at(self, frame: int, fields: type[Settings] | None = None) -> dict[str, Any]:
        """The traces that do anything on a frame."""
        shown = []
        for trace in self.in_order:
            first, last = trace.reach
            if trace.on and trace.anchors and first <= frame <= last:
                names = ("choke", "feather", "softness", "calm")
                values = {name: value_at(getattr(trace, name), frame) for name in names}
                shown.append(Shown(trace.does, trace.line, trace.joins, frame=frame, trace=trace, **values))
        return {"shown": tuple(shown)}
