"""One recipe for many shots: lines of a shot's work order given to others, each keeping what is its own."""

from collections.abc import Sequence
from typing import NamedTuple

from upholster.studio.errors import Refused
from upholster.studio.shots import families, shots
from upholster.studio.shots.lines import Line, Side, with_lines
from upholster.studio.shots.revisions import first_recipe


class Given(NamedTuple):
    """What became of a shot that was given a recipe: its name, its revision, and what differs, in sentences."""

    shot: int
    name: str
    revision: int
    sentences: list[str]


def give_recipe(source: int, targets: Sequence[int], lines: Sequence[Line]) -> list[Given]:
    """Give lines of one shot's recipe to others; each gets a revision of its own, which can be undone."""
    if not lines:
        raise Refused("Choose at least one line to give.")
    state = shots.open_shot(source)
    return [_give(state, target, lines) for target in dict.fromkeys(targets) if target != source]


def link(source: int, targets: Sequence[int], lines: Sequence[Line]) -> list[Given]:
    """Give lines of one shot's recipe to others, and link them with it on those lines."""
    # Families that some of them leave stay as they are.
    families.unlink([target for target in targets if target != source], shots.open_shot(source).shot.family_id)
    given = give_recipe(source, targets, lines)
    families.link(source, [each.shot for each in given if each.revision], lines)
    return given


def _give(source: shots.State, target: int, lines: Sequence[Line]) -> Given:
    try:
        state = shots.open_shot(target)
        sides = Side(source.footage, source.recipe), Side(state.footage, state.recipe)
        recipe, sentences = with_lines(*sides, lines, first_recipe(state.footage).screen)
        made = shots.revise(target, recipe, f"Recipe of {source.shot.name}", state.revision)
    except Refused as error:
        return Given(target, shots.name_of(target), 0, [str(error)])
    return Given(target, made.shot.name, made.revision, sentences)
