"""What would mend a finding: values of the work order that are worth trying, mildest first, then a drawn patch."""

from collections.abc import Iterator
from typing import NamedTuple

import numpy as np

from upholster.core.documents.masks import Does, Mask, Masks
from upholster.core.documents.recipe import Recipe
from upholster.core.documents.settings import Settings
from upholster.core.documents.tracks import Keyframe, Way, over_span, value_at
from upholster.core.findings.kinds import KINDS
from upholster.core.findings.places import Box
from upholster.core.findings.spans import Finding
from upholster.core.masks.course import Course
from upholster.core.raster import Raster

#: How much wider than the finding a patch is, and how soft, in pixels of a picture 960 wide or high.
_BEYOND, _SOFT = 3.0, 2.0
#: How far the handles of a circle of four points reach, as a share of its radius.
_ROUND = 0.5523
_LINES = {"take": 1, "screen": 2, "qualifier": 2, "matte": 3, "masks": 4, "edge": 6, "edge_colour": 7}


class Mend(NamedTuple):
    """A value that may mend a finding: where it stands in the recipe, and what it does in words."""

    section: str
    field: str
    value: float
    words: str

    @property
    def line(self) -> int:
        """The line of the work order it stands in."""
        return _LINES[self.section]


class Patch(NamedTuple):
    """A mask round a finding that goes with it, and what it does in words."""

    does: Does
    words: str
    line: int = _LINES["masks"]


def mends(finding: Finding, recipe: Recipe, scale: float) -> Iterator[Mend | Patch]:
    """What may mend a finding, the mildest first; nothing where only a person can tell.

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
            yield from _closed(finding, now(matte, "fill_holes"), scale)
            for solid in (0.9, 0.8, 0.7):
                if now(matte, "black_point") < solid < now(matte, "white_point"):
                    yield Mend("matte", "white_point", solid, f"call everything above {solid:.0%} solid")
            yield Patch("keep_inside", "keep what lies in a mask round it")
        case "haze":
            for clear in (0.05, 0.1, 0.15, 0.2, 0.3):
                if now(matte, "black_point") < clear < now(matte, "white_point"):
                    yield Mend("matte", "black_point", clear, f"call everything below {clear:.0%} clear")
            specks = min(type(matte).tracks()["specks"]["high"], float(round(place.width * scale + 2)))
            if specks > now(matte, "specks"):
                yield Mend("matte", "specks", specks, f"take out specks up to {specks:g} px")
            yield Patch("discard_inside", "discard what lies in a mask round it")
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
            yield from _closed(finding, now(matte, "fill_holes"), scale)
        case "spill":
            if now(edge, "spill") < 1:
                yield Mend("edge_colour", "spill", 1.0, "take all of the screen's light off")
            for balance in (0.35, 0.2, 0.0):
                if balance < now(edge, "balance"):
                    yield Mend("edge_colour", "balance", balance, f"limit the screen's primary to {balance:.0%}")
        case "cut_off":
            for side in ("left", "top", "right", "bottom"):
                if getattr(recipe.take, f"crop_{side}") and _touches(place.box, side):
                    yield Mend("take", f"crop_{side}", 0, f"cut nothing away at the {side}")


def mended(recipe: Recipe, mend: Mend | Patch, finding: Finding, length: int, raster: Raster) -> Recipe:
    """A recipe with a mend on the frames of a finding; what has no keyframes is changed on all.

    Parameters
    ----------
    length : int
        Frames of the footage.
    raster : Raster
        Where the picture lies on the plate, upright.
    """
    if isinstance(mend, Patch):
        return recipe.model_copy(update={"masks": _patched(recipe.masks, mend, finding, length, raster)})
    section = getattr(recipe, mend.section)
    if mend.field in type(section).tracks():
        value = over_span(getattr(section, mend.field), finding.first, finding.last, mend.value, length=length)
    else:
        value = int(mend.value)
    return recipe.model_copy(update={mend.section: section.changed({mend.field: value})})


def line_of(finding: Finding) -> int:
    """The line of the work order that mends such a finding as a rule."""
    return KINDS[finding.kind].line


def _closed(finding: Finding, now: float, scale: float) -> Iterator[Mend]:
    """Holes closed as wide as a finding is, at its narrowest."""
    left, top, right, bottom = finding.place.box
    wide = min(60.0, float(round(960 * min(right - left, bottom - top) * scale + 2)))
    for size in sorted({float(round(finding.place.width * scale + 2)), wide}):
        if now < size <= 60:
            yield Mend("matte", "fill_holes", size, f"close holes up to {size:g} px")


def _patched(masks: Masks, patch: Patch, finding: Finding, length: int, raster: Raster) -> Masks:
    """Masks with one more, an ellipse round a finding on each of its frames, that does nothing on others."""
    scale = raster.scale
    frames = tuple(frame for frame, _ in finding.boxes)
    points = np.stack([_ellipse(box, raster, _BEYOND * scale) for _, box in finding.boxes])
    ways: list[Way] = ["linear"] * len(frames)
    course = Course(True, (True,) * 4, frames, tuple(ways), points)
    keys = [(finding.first - 1, 0.0), (finding.first, 1.0), (finding.last + 1, 0.0)]
    within = [Keyframe(frame=n, value=value, next="hold") for n, value in keys if 0 <= n < length]
    number = sum(mask.name.startswith("Patch") for mask in masks.each.values()) + 1
    mask = Mask(
        name=f"Patch {number}",
        does=patch.does,
        feather=round(_SOFT * scale, 1),
        opacity=tuple(within),
        course=Course.read(course.document()),
    )
    mark = next(mark for k in range(1, 1000) if (mark := f"p{k}") not in masks.each)
    return masks.changed({"order": (*masks.order, mark), "each": {mark: mask}})


def _ellipse(box: Box, raster: Raster, beyond: float) -> np.ndarray:
    """Four points ``(4, 8)`` on the plate, as `Course.at` gives them, of an ellipse about a box."""
    width, height = raster.size
    (left, top), (right, bottom) = (
        raster.on_plate(box[0] * width, box[1] * height),
        raster.on_plate(box[2] * width, box[3] * height),
    )
    x, y = (left + right) / 2, (top + bottom) / 2
    # About the corners of the box as well.
    across, down = (right - left) / np.sqrt(2) + beyond, (bottom - top) / np.sqrt(2) + beyond
    turns = [(0, -1), (1, 0), (0, 1), (-1, 0)]
    rows = []
    for u, v in turns:
        # Handles lie along the outline, a quarter turn from the way to the point.
        before, after = (v * across, -u * down), (-v * across, u * down)
        rows.append([x + u * across, y + v * down, *(_ROUND * w for w in (*before, *after)), 0.0, 0.0])
    return np.array(rows)


def _touches(box: Box, side: str) -> bool:
    """Whether a box touches a side of the picture."""
    left, top, right, bottom = box
    return {"left": left < 0.01, "top": top < 0.01, "right": right > 0.99, "bottom": bottom > 0.99}[side]
