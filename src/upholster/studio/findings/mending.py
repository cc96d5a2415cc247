"""Mending a finding: values are tried on its worst frame until one takes it away."""

from collections.abc import Callable
from typing import NamedTuple

from upholster.core.documents.recipe import Recipe
from upholster.core.findings.frame import Measured
from upholster.core.findings.mends import Mend, Patch, line_of, mended, mends
from upholster.core.findings.places import Place
from upholster.core.findings.seen import screen_share
from upholster.core.findings.spans import Finding
from upholster.core.raster import Raster
from upholster.store.models import Footage
from upholster.studio.findings.measuring import Frames
from upholster.studio.making.seeing import looked_at

#: How much less is to be seen of it, and how much more may be of other things.
_LESS, _MORE = 0.5, 0.1
#: Share of a place in which the screen's own colour is seen, from which it is taken to be seen through a gap.
_SCREEN = 0.15


class Mended(NamedTuple):
    """A recipe in which a finding is gone, or nearly.

    Attributes
    ----------
    words : str
        What was changed, and on which frames.
    before, after : float
        How much is seen of it, 0..1.
    """

    recipe: Recipe
    mend: Mend | Patch
    words: str
    before: float
    after: float


def mend(
    finding: Finding,
    recipe: Recipe,
    length: int,
    plate: Raster,
    measured: Callable[[Recipe, int], Measured],
    *,
    screen_seen: bool = False,
) -> Mended | None:
    """The mildest change that takes a finding away on its frames; None where none of them does.

    Parameters
    ----------
    length : int
        Frames of the footage.
    plate : Raster
        Of the whole plate.
    measured
        ``measured(recipe, frame)``: what is wrong with a frame keyed by a recipe.
    screen_seen
        Whether the screen itself is seen in its place: then that is not to be kept.
    """
    best: Mended | None = None
    now = measured(recipe, finding.worst)
    before, beside = _seen(now, finding), _other(now, finding)
    raster = looked_at(recipe).take.result(plate)
    for each in mends(finding, recipe, plate.scale):
        if screen_seen and isinstance(each, Patch) and each.does == "keep_inside":
            continue
        changed = mended(recipe, each, finding, length, raster)
        found = measured(changed, finding.worst)
        after = _seen(found, finding)
        if after > _LESS * before or _other(found, finding) > beside + _MORE:
            continue
        if best is None or after < best.after:
            best = Mended(changed, each, f"{each.words} on {finding.frames}", before, after)
        if after == 0:
            break
    return best


def mend_of_shot(footage: Footage, recipe: Recipe, finding: Finding) -> Mended | None:
    """The same for a shot, by its small pictures."""
    plate = Raster.of_plate(int(footage.facts["width"]), int(footage.facts["height"]))

    def measured(tried: Recipe, frame: int) -> Measured:
        return Frames(footage, tried).measured(frame)

    seen = screen_share(Frames(footage, recipe).seen(finding.worst), finding.place.box) > _SCREEN
    return mend(finding, recipe, int(footage.facts["length"]), plate, measured, screen_seen=seen)


def line_for(finding: Finding, found: Mended | None) -> int:
    """The line of the work order to look at."""
    return found.mend.line if found else line_of(finding)


def _seen(found: Measured, finding: Finding) -> float:
    """How much is seen of a finding on its worst frame."""
    there = found.places.get(finding.kind, [])
    return max((p.severity for p in there if _meets(p, finding)), default=0.0)


def _other(found: Measured, finding: Finding) -> float:
    """How much is seen of everything else, at its worst."""
    places = [
        p.severity
        for kind, there in found.places.items()
        for p in there
        if kind != finding.kind or not _meets(p, finding)
    ]
    return max(places, default=0.0)


def _meets(place: Place, finding: Finding) -> bool:
    one, two = place.box, finding.place.box
    return one[0] < two[2] and two[0] < one[2] and one[1] < two[3] and two[1] < one[3]
