"""The screen: what kind of ground is behind the subject, and what was marked on the picture by hand."""

from collections.abc import Iterable
from typing import Literal

from pydantic import Field

from upholster.core.documents.settings import Settings

#: Most places that are marked by hand, points of a scribble, and colours of one place.
SAMPLES, POINTS, COLOURS = 64, 400, 12

#: Difference of a primary from which a colour is quite another one.
_ANOTHER = 0.2

Kind = Literal["screen", "colour", "dark", "light", "none"]
Of = Literal["ground", "subject", "veil"]
Colour = tuple[float, float, float]


class Sample(Settings):
    """A place that was marked by hand, with what was read there."""

    of: Of = Field(
        default="ground",
        description="`ground` to take out, `subject` to keep, or a `veil` of glass or gauze, to be seen through.",
    )
    frame: int | None = Field(
        default=None, ge=0, description="Frame it was read on; null where that was in another shot."
    )
    x: float = Field(description="Centre, pixels from the left.")
    y: float = Field(description="Centre, pixels from the top.")
    radius: float = Field(default=4, gt=0, description="Half the width of what was read, or of a scribble, pixels.")
    half_height: float | None = Field(default=None, gt=0, description="Half its height, pixels; null for a square.")
    course: tuple[tuple[float, float], ...] = Field(
        default=(), max_length=POINTS, description="Where a scribble goes, pixels; empty for a rectangle."
    )
    colour: Colour = Field(description="Mean encoded RGB there, 0..1.")
    colours: tuple[Colour, ...] = Field(
        default=(), max_length=COLOURS, description="What it consists of, where that is more than one colour."
    )


class Screen(Settings):
    """What kind of ground is behind the subject, and its colour."""

    kind: Kind = Field(
        default="none",
        description="`screen`: a colour screen with one strong primary; `colour`: any other solid "
        "colour; `dark`: glow on dark; `light`: ink on light; `none`: nothing is taken out.",
    )
    colour: Colour | None = Field(
        default=None,
        description="Colour as proposed, encoded RGB 0..1; where ground of quite another colour is marked, that takes "
        "its place.",
    )
    samples: tuple[Sample, ...] = Field(default=(), max_length=SAMPLES, description="Places marked by hand.")
    alike: float = Field(
        default=0.03,
        ge=0.01,
        le=0.3,
        description="How far a colour may be from one that was marked and still be taken for the same.",
    )
    empty: str | None = Field(
        default=None,
        pattern="^[0-9a-f]{64}$",
        description="SHA-256 of footage of the empty set, used as the clean plate; null to work it out.",
    )
    paused: bool = Field(default=False, description="Leave the plate as it is.")

    @property
    def ground(self) -> tuple[Sample, ...]:
        """The places that were marked as ground."""
        return tuple(sample for sample in self.samples if sample.of == "ground")

    @property
    def colours(self) -> tuple[Colour, ...]:
        """The screen colours to go by: those of marked ground, and what was proposed unless that is another colour."""
        marked = self.marked(["ground"])
        proposed = self.colour
        if proposed is None or (marked and all(_apart(colour, proposed) > _ANOTHER for colour in marked)):
            return marked
        return (*marked, proposed)

    def marked(self, kinds: Iterable[Of]) -> tuple[Colour, ...]:
        """Every colour that was read where these kinds of things were marked."""
        return tuple(c for sample in self.samples if sample.of in kinds for c in sample.colours or (sample.colour,))


def _apart(one: Colour, other: Colour) -> float:
    return max(abs(a - b) for a, b in zip(one, other, strict=True))
