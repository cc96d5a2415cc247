"""The recipe: every choice made for a shot, in one JSON document.

One settings model per stage; `docs/recipe.md` is generated from them. Unknown fields are refused.
Pixels are pixels of the plate, frames are counted from 0 of the footage.
"""

from typing import Any, Literal, Self

from pydantic import BaseModel, ConfigDict, Field, ValidationError, model_validator

from upholster.core.numbers import Number, check_number, number, value_at

VERSION = 1

#: Most places a screen is measured at by hand.
SAMPLES = 64

Kind = Literal["screen", "colour", "dark", "light", "none"]


class RecipeError(ValueError):
    """The document is not a recipe this version can use; the message says why."""


class Settings(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False)

    @model_validator(mode="after")
    def _numbers_within_bounds(self) -> Self:
        for name, bounds in self.numbers().items():
            check_number(getattr(self, name), bounds["low"], bounds["high"])
        return self

    @classmethod
    def numbers(cls) -> dict[str, dict[str, Any]]:
        """The keyframable fields and their low, high, step and unit."""
        return {
            name: field.json_schema_extra
            for name, field in cls.model_fields.items()
            if isinstance(field.json_schema_extra, dict)
        }

    def at(self, frame: int) -> dict[str, float]:
        """The keyframable fields, resolved at `frame`."""
        return {name: value_at(getattr(self, name), frame) for name in self.numbers()}


class Take(Settings):
    """Which frames are used."""

    first: int = Field(default=0, ge=0, description="First frame used.")
    last: int | None = Field(default=None, ge=0, description="Last frame used; null for the end.")

    @model_validator(mode="after")
    def _ordered(self) -> Self:
        if self.last is not None and self.last < self.first:
            raise ValueError("the out frame lies before the in frame")
        return self

    def span(self, length: int) -> range:
        """The frames used of footage with `length` frames; never empty for length > 0."""
        last = length - 1 if self.last is None else min(self.last, length - 1)
        return range(min(self.first, last), last + 1)


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


class Region(Settings):
    """Taking out only what is joined to the measured places."""

    joined: bool = Field(
        default=False,
        description="Only ground that touches a measured place (or, with none, the picture's rim) is taken out.",
    )
    reach: Number = number(0.5, 0.01, 1.0, step=0.01, doc="Coverage up to which the ground goes on.")


class Narrow(Settings):
    """Keeping everything whose colour lies outside these ranges."""

    hue: Number = number(180.0, 1.0, 180.0, step=1, unit="°", doc="Hue: this far either way from the screen's.")
    pale: Number = number(0.0, 0.0, 1.0, step=0.01, doc="Saturation below this is kept.")
    vivid: Number = number(1.0, 0.0, 1.0, step=0.01, doc="Saturation above this is kept.")
    dark: Number = number(0.0, 0.0, 1.0, step=0.01, doc="Lightness below this is kept.")
    light: Number = number(1.0, 0.0, 1.0, step=0.01, doc="Lightness above this is kept.")
    soft: Number = number(0.1, 0.01, 1.0, step=0.01, doc="Width of the shoulders, as a share of each range.")


class Matte(Settings):
    """What counts as clear and what as solid."""

    steady: Number = number(0.0, 0.0, 1.0, step=0.05, doc="Calm the grain with the frames before and after.")
    along: Number = number(1.0, 0.0, 1.0, step=0.05, doc="Calm edges along their own course.")
    see_through: Number = number(
        0.0, 0.0, 1.0, step=0.01, doc="Glass and gauze: towards the least coverage that explains the colour."
    )
    clear: Number = number(0.0, 0.0, 0.95, step=0.005, doc="Coverage at and below this becomes clear.")
    solid: Number = number(1.0, 0.05, 1.0, step=0.005, doc="Coverage at and above this becomes solid.")
    close: Number = number(
        8.0, 0.0, 60.0, step=0.5, unit="px", doc="Shallow dips in the solid part narrower than this are closed."
    )
    specks: Number = number(0.0, 0.0, 60.0, step=0.5, unit="px", doc="Lone bits smaller than this are taken out.")
    opacity: Number = number(0.0, 0.0, 1.0, step=0.01, doc="Dark and light grounds: how solid the thin parts are made.")
    paused: bool = Field(default=False, description="Use the coverage as measured.")


class Edge(Settings):
    """Where the edge lies and how soft it is."""

    recover: Number = number(0.0, 0.0, 1.0, step=0.01, doc="Bring back fine detail near the subject.")
    shift: Number = number(0.0, -20.0, 20.0, step=0.1, unit="px", doc="Edge out (+) or in (-).")
    soften: Number = number(0.0, 0.0, 50.0, step=0.1, unit="px", doc="Gaussian radius (sigma).")
    paused: bool = Field(default=False, description="Leave the edge as pulled.")


class EdgeColour(Settings):
    """Taking the screen's colour out of the subject."""

    unmix: Number = number(1.0, 0.0, 1.0, step=0.01, doc="Remove the screen from half-covered pixels.")
    spill: Number = number(1.0, 0.0, 1.0, step=0.01, doc="Remove the screen's light from solid ones.")
    balance: Number = number(
        0.5,
        0.0,
        1.0,
        step=0.01,
        doc="What the screen's primary is limited to: the smaller (0), the mean (0.5) or the larger (1) "
        "of the other two.",
    )
    desaturate: Number = number(0.0, 0.0, 1.0, step=0.01, doc="Take the colour out of what is left of the rim.")
    keep_own: bool = Field(
        default=True, description="Leave the subject's own colours near the screen's: green cloth stays green."
    )
    keep_luma: bool = Field(default=True, description="Give despilled pixels their brightness back.")
    paused: bool = Field(default=False, description="Leave the plate's colours as they are.")


class Recipe(Settings):
    """Every choice made for a shot."""

    version: Literal[1] = 1
    take: Take = Take()
    screen: Screen = Screen()
    region: Region = Region()
    narrow: Narrow = Narrow()
    matte: Matte = Matte()
    edge: Edge = Edge()
    edge_colour: EdgeColour = EdgeColour()


#: For each older version, what turns its document into one of the next version.
MIGRATIONS: dict[int, Any] = {}


def read_recipe(document: object) -> Recipe:
    """A recipe from parsed JSON, older versions migrated.

    Raises
    ------
    RecipeError
        With one sentence that names the field and what is wrong with it.
    """
    if not isinstance(document, dict):
        raise RecipeError("A recipe is a JSON object; this is not one.")
    found = document.get("version", VERSION)
    if type(found) is not int or not 1 <= found <= VERSION:
        raise RecipeError(f"This recipe has version {str(found)[:20]}; this program reads 1 to {VERSION}. Update it.")
    while found < VERSION:
        document = MIGRATIONS[found](document)
        found += 1
    try:
        return Recipe.model_validate(document)
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(part) for part in first["loc"] if not str(part).startswith(("function", "tuple[")))
        raise RecipeError(f"Recipe field “{where}”: {first['msg']}.") from None
