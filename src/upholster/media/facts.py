"""What is known of a piece of footage from looking into its file."""

import re
from collections.abc import Iterable
from fractions import Fraction
from typing import Annotated, Literal, get_args

from pydantic import BaseModel, BeforeValidator, ConfigDict, PlainSerializer

from upholster.core.colour import Matrix, Range, Siting

#: Whether colour is kept whole under alpha, or already multiplied by it.
AlphaKind = Literal["straight", "premultiplied"]

#: Frames a second that anything is shot, shown or delivered at.
SLOWEST, FASTEST = Fraction(1, 100), Fraction(1000)
_RATE = re.compile(r"(\d{1,9})(?:/(\d{1,9})|\.(\d{1,9}))?", re.ASCII)


def read_rate(given: object) -> Fraction:
    """A rate from a fraction or its words: ``24``, ``23.976``, ``24000/1001``.

    Raises
    ------
    ValueError
        Where it is no rate between `SLOWEST` and `FASTEST`. Nothing is computed with before it is known to be short.
    """
    if not isinstance(given, Fraction):
        match = _RATE.fullmatch(str(given)[:24].strip())
        if not match or (match[2] and not int(match[2])):
            raise ValueError("a rate is a number like 24, 23.976 or 24000/1001")
        given = Fraction(match[0])
    if not SLOWEST <= given <= FASTEST:
        raise ValueError(f"a rate lies between {float(SLOWEST):g} and {float(FASTEST):g} frames a second")
    return given


Rate = Annotated[Fraction, BeforeValidator(read_rate), PlainSerializer(str)]

#: First and last frame of each run of frames.
Runs = tuple[tuple[int, int], ...]


def as_runs(frames: Iterable[int]) -> Runs:
    """Frame numbers as runs of neighbours."""
    runs: list[tuple[int, int]] = []
    for frame in sorted(set(frames)):
        if runs and runs[-1][1] == frame - 1:
            runs[-1] = (runs[-1][0], frame)
        else:
            runs.append((frame, frame))
    return tuple(runs)


def runs_in_words(runs: Runs, most: int = 4) -> str:
    """``frames 3, 7 to 9 and 12``; only the first `most` where there are more."""
    parts = [str(first) if first == last else f"{first} to {last}" for first, last in runs[:most]]
    if len(runs) > most:
        parts.append(f"{len(runs) - most} more places")
    many = len(parts) > 1 or runs[0][0] != runs[0][1]
    return ("frames " if many else "frame ") + (f"{', '.join(parts[:-1])} and {parts[-1]}" if parts[1:] else parts[0])


#: Matrices in words, and where a chroma sample lies across the columns of luma (ITU-T H.273, table 8, types 0 and 1).
MATRICES: dict[Matrix, str] = {"bt601": "BT.601", "bt709": "BT.709", "bt2020": "BT.2020"}
SITINGS: dict[Siting, str] = {"left": "on a column", "center": "between two"}


class ColourTags(BaseModel):
    """How code values stand for colour, and whether the file said so itself, or a person."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    matrix: Matrix = "bt709"
    range: Range = "limited"
    siting: Siting = "left"
    transfer: str = "bt709"
    primaries: str = "bt709"
    tagged: bool = False
    told: bool = False

    def in_words(self) -> str:
        said = " (as it was told)" if self.told else "" if self.tagged else " (by size; the file does not say)"
        return f"{MATRICES[self.matrix]}, {self.range} range{said}"


class Facts(BaseModel):
    """Probe facts of a file, still or sequence."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    version: Literal[1] = 1
    #: Of sound alone, there are frames of time, but no pictures: its sides are 0.
    kind: Literal["video", "still", "sequence", "sound"]
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
    #: Number of the first picture of a sequence.
    first_number: int = 0
    #: Timecode of the first frame (SMPTE ST 12-1); empty where the file has none.
    timecode: str = ""
    #: Codec of the first sound track; empty where there is none.
    sound: str = ""
    colour: ColourTags = ColourTags()
    #: Whether its wide or bright colours are brought to BT.709 as it is decoded.
    converted: bool = False
    #: Whether its lines were taken at two moments, and whether they are brought to one as it is decoded.
    interlaced: bool = False
    deinterlaced: bool = False
    rotation: int = 0
    #: Width of a pixel over its height, of the picture as it is turned upright.
    pixel_aspect: float = 1.0
    notes: tuple[str, ...] = ()
    #: For each frame of the constant rate: which frame of the file is shown (None: one to one).
    shown: tuple[int, ...] | None = None
    #: Frames whose data is damaged, or that are built on such, as far as they have been read.
    damaged: Runs = ()

    @property
    def seconds(self) -> float:
        return float(self.length / self.rate)

    @property
    def sited(self) -> bool:
        """Whether there are fewer columns of chroma than of luma, whose place has to be known."""
        return self.subsampling in ("4:2:0", "4:2:2")


def told_colour(facts: Facts, words: Iterable[str]) -> Facts:
    """The same footage with its colour taken as `words` say: ``bt601``, ``full``, ``center``.

    Raises
    ------
    ValueError
        In a sentence, where a word is none of these, or means nothing to this footage.
    """
    known = {"matrix": MATRICES.keys(), "range": get_args(Range), "siting": SITINGS.keys()}
    told: dict[str, object] = {"told": True}
    for word in words:
        field = next((field for field, names in known.items() if word in names), None)
        if field is None:
            *names, last = (name for names in known.values() for name in names)
            raise ValueError(f"Colour is stored as {', '.join(names)} or {last}, not as {word[:40]!r}.")
        if not facts.subsampling:
            raise ValueError("Colour can be told of video that stores it as Y'CbCr; this does not.")
        if field == "siting" and not facts.sited:
            raise ValueError("This video has as many samples of chroma as of luma; there is no place to tell.")
        told[field] = word
    return facts.model_copy(update={"colour": facts.colour.model_copy(update=told)})


def untagged(height: int, width: int) -> Matrix:
    """The usual rule where a file does not name its matrix: standard definition is BT.601."""
    return "bt709" if height >= 720 or width >= 1280 else "bt601"
