"""The screen: what kind of ground is behind the subject, and where it was measured."""

from typing import Literal

from pydantic import Field

from upholster.core.documents.settings import Settings

#: Most places a screen is measured at by hand.
SAMPLES = 64

Kind = Literal["screen", "colour", "dark", "light", "none"]


class Sample(Settings):
    """A place where the screen was measured, with what was read there."""

    frame: int = Field(ge=0, description="Frame it was read on.")
    x: float = Field(description="Centre, pixels from the left.")
    y: float = Field(description="Centre, pixels from the top.")
    radius: float = Field(default=4, gt=0, description="Half the side of the square read, pixels.")
    colour: tuple[float, float, float] = Field(description="Mean encoded RGB there, 0..1.")


class Screen(Settings):
    """What kind of ground is behind the subject, and its colour."""

    kind: Kind = Field(
        default="none",
        description="`screen`: a colour screen with one strong primary; `colour`: any other solid "
        "colour; `dark`: glow on dark; `light`: ink on light; `none`: nothing is taken out.",
    )
    colour: tuple[float, float, float] | None = Field(
        default=None, description="Colour as proposed, encoded RGB 0..1; samples take its place."
    )
    samples: tuple[Sample, ...] = Field(default=(), max_length=SAMPLES, description="Places measured by hand.")
    empty: str | None = Field(
        default=None,
        pattern="^[0-9a-f]{64}$",
        description="SHA-256 of footage of the empty set, used as the clean plate; null to work it out.",
    )
    paused: bool = Field(default=False, description="Leave the plate as it is.")

    @property
    def colours(self) -> tuple[tuple[float, float, float], ...]:
        """The screen colours to go by: the samples' where there are any."""
        if self.samples:
            return tuple(sample.colour for sample in self.samples)
        return (self.colour,) if self.colour else ()
