"""Lines of a work order as one shot gives them to another, which keeps what is its own."""

from collections.abc import Sequence
from typing import Any, Literal, NamedTuple

from upholster.core.documents.recipe import Matte, Recipe
from upholster.core.documents.screen import SAMPLES, Sample, Screen
from upholster.core.screen.propose import screen_name
from upholster.store.models import Footage
from upholster.studio.shots.revisions import first_recipe
from upholster.studio.shots.screens import knowledge

#: The lines of the work order that can be given, by name, with the parts of the recipe they stand for.
LINES: dict[str, tuple[str, ...]] = {
    "take": ("take",),
    "screen": ("screen", "region", "qualifier"),
    "matte": ("matte",),
    "masks": ("masks",),
    "traces": ("traces",),
    "edge": ("edge",),
    "edge_colour": ("edge_colour",),
    "finish": ("finish",),
}
#: Lines of things that are drawn on one picture.
DRAWN = ("masks", "traces")
#: Lines that are a shot's own unless it is said otherwise.
OWN = ("take", *DRAWN)
_CROP = ("crop_left", "crop_top", "crop_right", "crop_bottom")
Line = Literal["take", "screen", "matte", "masks", "traces", "edge", "edge_colour", "finish"]


class Side(NamedTuple):
    """Footage with a recipe for it: what gives, or what takes."""

    footage: Footage
    recipe: Recipe


def words_of(line: str) -> str:
    """What a line is called."""
    return {"edge_colour": "colour of the edge"}.get(line, line)


def differing(before: Recipe, after: Recipe) -> list[Line]:
    """The lines in which two recipes differ."""
    return [line for line, parts in LINES.items() if any(getattr(before, p) != getattr(after, p) for p in parts)]  # type: ignore[misc]


def with_lines(source: Side, target: Side, lines: Sequence[Line], screen: Screen) -> tuple[Recipe, list[str]]:
    """The target's recipe with lines of the source's, and what is told of it.

    Parameters
    ----------
    screen
        The target's own, which stands in place of the source's.
    """
    recipe, sentences = target.recipe, []
    same_size = _size(source.footage) == _size(target.footage)
    for line in lines:
        if line in DRAWN and not same_size:
            sentences.append(f"Its {line} stay as they are: it is of another size.")
            continue
        update: dict[str, Any] = {section: getattr(source.recipe, section) for section in LINES[line]}
        if line == "take":
            update, told = _take(source, target, same_size=same_size)
            sentences += told
        if line == "screen":
            update["screen"], told = _screen(source.recipe, screen)
            sentences += told
        recipe = recipe.model_copy(update=update)
    if "matte" in lines:
        recipe, told = _points(source, target, recipe)
        sentences += told
    return recipe, sentences


def _size(footage: Footage) -> tuple[int, int]:
    return int(footage.facts["width"]), int(footage.facts["height"])


def _take(source: Side, target: Side, *, same_size: bool) -> tuple[dict[str, Any], list[str]]:
    """The source's take within the target's length; its crop only where both are of one size."""
    take, own, sentences = source.recipe.take, target.recipe.take, []
    last = int(target.footage.facts["length"]) - 1
    changes: dict[str, Any] = {"first": min(take.first, last)}
    if take.last is not None:
        changes["last"] = min(take.last, last)
        if take.last > last:
            sentences.append(f"It ends on frame {last}: it is shorter.")
    if not same_size:
        changes |= {side: getattr(own, side) for side in _CROP}
        if any(getattr(take, side) for side in _CROP):
            sentences.append("Its crop stays as it is: it is of another size.")
    return {"take": take.model_copy(update=changes)}, sentences


def _screen(source: Recipe, screen: Screen) -> tuple[Screen, list[str]]:
    """The target's own ground, with what was marked as subject or veil in the source, and paused where that is."""
    here, there = screen_name(screen), screen_name(source.screen)
    # The colours of a veil have the screen's in them.
    given = ("subject", "veil") if here == there else ("subject",)
    own = {_read_as(sample): sample for sample in screen.samples}
    kept = [sample for sample in screen.samples if sample.of not in given]
    marks = [sample for sample in source.screen.samples if sample.of in given]
    marks = [own.get(_read_as(sample), sample.model_copy(update={"frame": None})) for sample in marks]
    samples = (*kept, *marks)
    update = {"paused": source.screen.paused, "alike": source.screen.alike, "samples": samples[:SAMPLES]}
    told = [] if here == there else [f"Its ground stays as it was measured: {here}, not {there}."]
    if (over := len(samples) - SAMPLES) > 0:
        told.append(f"{over} of the marks had no room: a shot can have {SAMPLES}.")
    return screen.model_copy(update=update), told


def _read_as(sample: Sample) -> tuple[Any, ...]:
    """What counts of a sample, wherever it was read."""
    return sample.of, sample.colour, sample.colours


def _points(source: Side, target: Side, recipe: Recipe) -> tuple[Recipe, list[str]]:
    """Clear and solid follow the target's own grain where they followed the source's."""
    first, own = (first_recipe(side.footage).matte for side in (source, target))
    followed = _clear_and_solid(source.recipe.matte) == _clear_and_solid(first)
    if not followed or knowledge(target.footage, recipe.screen) is None:
        return recipe, []
    black, white = _clear_and_solid(own)
    matte = recipe.matte.model_copy(update={"black_point": black, "white_point": white})
    words = [f"Clear and solid follow its own grain: {black:.1%} and {white:.0%}."]
    return recipe.model_copy(update={"matte": matte}), words if (black, white) != _clear_and_solid(first) else []


def _clear_and_solid(matte: Matte) -> tuple[Any, Any]:
    return matte.black_point, matte.white_point
