"""What is to be keyed, by which recipe."""

from collections.abc import Callable
from pathlib import Path
from typing import Any

from upholster.cli.options import TAKEN, with_take
from upholster.cli.plates import open_footage, recipe_in, with_alpha_as
from upholster.core.first_recipe import first_look
from upholster.studio.making.keying import Footage, KeyJob, screen_of, survey_footage


def key_job_of(
    footage: Footage,
    path: Path | None,
    empty: str | None,
    frames: str | None,
    alpha: str | None,
    given: dict[str, Any],
    say: Callable[[str], None],
) -> KeyJob:
    """Footage with the recipe given, or proposed; choices of the take are taken out of `given`."""
    footage = with_alpha_as(footage, alpha)
    if alpha is None and footage.facts.alpha_kind == "premultiplied":
        say("Its alpha looks premultiplied, and is taken so; --plate-alpha says otherwise.")
    taken = survey_footage(footage)
    if path:
        recipe = recipe_in(path)
    else:
        look = first_look(taken, footage.facts.pixel_aspect)
        recipe = look.recipe
        for sentence in look.sentences:
            say(sentence)
    recipe = with_take(recipe, footage.facts.length, frames, given)
    for name in TAKEN:
        del given[name]
    known = screen_of(taken, recipe, survey_footage(open_footage(empty)) if empty else None)
    return KeyJob(footage, recipe, known)
