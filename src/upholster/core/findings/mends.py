"""What would mend a finding: values of the work order that are worth trying, mildest first."""

from collections.abc import Iterator
from typing import NamedTuple

from upholster.core.documents.recipe import Recipe
from upholster.core.documents.settings import Settings
from upholster.core.documents.tracks import over_span, value_at
from upholster.core.findings.kinds import KINDS
from upholster.core.findings.spans import Finding


class Mend(NamedTuple):
    """A value that may mend a finding.

    Attributes
    ----------
    section, field : str
        Where it stands in the recipe.
    value : float
    words : str
        What it does.
    """

    section: str
    field: str
    value: float
    words: str

    @property
    def line(self) -> int:
        """The line of the work order it stands in."""
        return _LINES[self.section]


_LINES = {"take": 1, "screen": 2, "qualifier": 2, "matte": 3, "masks": 4, "edge": 6, "edge_colour": 7}


def mends(finding: Finding, recipe: Recipe, scale: float) -> Iterator[Mend]:
    """Values that may mend a finding, the mildest first; none where only a person can tell.

    Parameters
    ----------
    scale : float
        Pixels of the plate for each of a picture 960 wide or high.
    """
    matte, edge = recipe.matte, recipe.edge_colour
    place, frame = finding.place, finding.worst

    def now(settings: Settings, field: str) -> float:
        return value_at(getattr(settings, field), frame)

    match finding.kind:
        case "hole":
            wide = min(60.0, float(round(place.width * scale + 2)))
            if wide > now(matte, "fill_holes"):
                yield Mend("matte", "fill_holes", wide, f"close holes up to {wide:g} px")
            for solid in (0.9, 0.8, 0.7, 0.6, 0.5):
                if solid < now(matte, "white_point") and solid > now(matte, "black_point"):
                    yield Mend("matte", "white_point", solid, f"call everything above {solid:g} solid")
        case "haze":
            for clear in (0.05, 0.1, 0.15, 0.2, 0.3, 0.4):
                if now(matte, "black_point") < clear < now(matte, "white_point"):
                    yield Mend("matte", "black_point", clear, f"call everything below {clear:g} clear")
            specks = min(type(matte).tracks()["specks"]["high"], float(round(place.width * scale + 2)))
            if specks > now(matte, "specks"):
                yield Mend("matte", "specks", specks, f"take out specks up to {specks:g} px")
        case "fringe":
            if now(edge, "unmix") < 1:
                yield Mend("edge_colour", "unmix", 1.0, "take all of the screen out of half-covered pixels")
            for choke in (0.5, 1.0, 2.0):
                moved = round((now(recipe.edge, "choke") + choke * scale) * 2) / 2
                yield Mend("edge", "choke", moved, f"move the edge in by {moved:g} px")
            for much in (0.5, 1.0):
                if now(edge, "desaturate") < much:
                    yield Mend("edge_colour", "desaturate", much, f"take {much:.0%} of the colour out of the rim")
        case "chatter":
            for much in (0.5, 1.0):
                if now(matte, "edge_smoothing") < much:
                    yield Mend("matte", "edge_smoothing", much, f"calm the edge along its course by {much:.0%}")
            for much in (0.5, 1.0):
                if now(matte, "temporal_denoise") < much:
                    yield Mend("matte", "temporal_denoise", much, f"calm the grain over time by {much:.0%}")
            for solid in (0.9, 0.8, 0.7):
                if now(matte, "black_point") < solid < now(matte, "white_point"):
                    yield Mend("matte", "white_point", solid, f"call everything above {solid:g} solid")
        case "spill":
            if now(edge, "spill") < 1:
                yield Mend("edge_colour", "spill", 1.0, "take all of the screen's light off")
            for balance in (0.35, 0.2, 0.0):
                if balance < now(edge, "balance"):
                    yield Mend("edge_colour", "balance", balance, f"limit the screen's primary to {balance:.0%}")
        case "cut_off":
            for side in ("left", "top", "right", "bottom"):
                if getattr(recipe.take, f"crop_{side}") and _at(place.box, side):
                    yield Mend("take", f"crop_{side}", 0, f"cut nothing away at the {side}")


def mended(recipe: Recipe, mend: Mend, first: int, last: int, length: int) -> Recipe:
    """A recipe with a mend on some frames; what has no keyframes is changed on all."""
    section = getattr(recipe, mend.section)
    if mend.field in type(section).tracks():
        value = over_span(getattr(section, mend.field), first, last, mend.value, length=length)
    else:
        value = int(mend.value)
    return recipe.model_copy(update={mend.section: section.changed({mend.field: value})})


def line_of(finding: Finding) -> int:
    """The line of the work order that mends such a finding as a rule."""
    return KINDS[finding.kind].line


def _at(box: tuple[float, float, float, float], side: str) -> bool:
    """Whether a box touches a side of the picture."""
    left, top, right, bottom = box
    return {"left": left < 0.01, "top": top < 0.01, "right": right > 0.99, "bottom": bottom > 0.99}[side]
