"""What is known of a piece of footage from looking into its file."""

from fractions import Fraction
from typing import Annotated, Literal

from pydantic import BaseModel, BeforeValidator, ConfigDict, PlainSerializer

from upholster.core.colour import Matrix, Range, Siting

#: Whether colour is kept whole under alpha, or already multiplied by it.
AlphaKind = Literal["straight", "premultiplied"]

Rate = Annotated[Fraction, BeforeValidator(Fraction), PlainSerializer(str)]


class ColourTags(BaseModel):
    """How code values stand for colour, and whether the file said so itself."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    matrix: Matrix = "bt709"
    range: Range = "limited"
    siting: Siting = "left"
    transfer: str = "bt709"
    primaries: str = "bt709"
    tagged: bool = False

    def in_words(self) -> str:
        name = {"bt601": "BT.601", "bt709": "BT.709", "bt2020": "BT.2020"}[self.matrix]
        return f"{name}, {self.range} range" + ("" if self.tagged else " (by size; the file does not say)")


class Facts(BaseModel):
    """Probe facts of a file, still or sequence."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    kind: Literal["video", "still", "sequence"]
    container: str
    codec: str
    width: int
    height: int
    length: int
    rate: Rate
    depth: int
    floating: bool = False
    subsampling: str = ""
    alpha: bool = False
    #: How alpha is taken; empty where there is none or it is left alone.
    alpha_kind: AlphaKind | Literal[""] = ""
    #: The colour edges are mixed with where alpha is premultiplied.
    alpha_over: tuple[float, float, float] = (0.0, 0.0, 0.0)
    #: Codec of the first sound track; empty where there is none.
    sound: str = ""
    colour: ColourTags = ColourTags()
    rotation: int = 0
    notes: tuple[str, ...] = ()
    #: For each frame of the constant rate: which frame of the file is shown (None: one to one).
    shown: tuple[int, ...] | None = None

    @property
    def seconds(self) -> float:
        return float(self.length / self.rate)


def untagged(height: int, width: int) -> Matrix:
    """The usual rule where a file does not name its matrix: standard definition is BT.601."""
    return "bt709" if height >= 720 or width >= 1280 else "bt601"
