"""Footage and recipes as they are named on the command line."""

import json
from pathlib import Path

import click

from upholster.core.documents.recipe import Recipe, RecipeError, read_recipe
from upholster.media.decoder.reader import probe as probe_files
from upholster.media.facts import read_rate, told_colour
from upholster.media.sequences import find_pictures
from upholster.studio.footage.inspect import interpretation
from upholster.studio.making.keying import Footage
from upholster.studio.making.sidecar import alpha_beside


def open_footage(
    given: str, rate: str | None = None, *, deinterlace: bool = False, colour: str | None = None
) -> Footage:
    """A plate by its name.

    Numbered pictures run at `rate` where one is given, interlaced clips are deinterlaced on request, and `colour` is
    words of `told_colour`, with commas between.
    """
    files = tuple(find_pictures(given))
    facts = probe_files(files)
    if rate is not None:
        if facts.kind != "sequence":
            raise click.UsageError(f"--plate-rate is for numbered pictures; {given} says itself how fast it runs.")
        try:
            facts = facts.model_copy(update={"rate": read_rate(rate)})
        except ValueError as error:
            raise click.UsageError(f"--plate-rate: {error}.") from None
    if colour is not None:
        try:
            facts = told_colour(facts, (word.strip() for word in colour.split(",")))
        except ValueError as error:
            raise click.UsageError(f"--plate-colour: {error}") from None
    if deinterlace and not facts.interlaced:
        raise click.UsageError(f"--deinterlace is for interlaced plates; {given} is none.")
    return Footage(files, facts.model_copy(update={"deinterlaced": deinterlace}))


def with_alpha_as(footage: Footage, kind: str | None) -> Footage:
    """Footage whose alpha is taken as straight, premultiplied or not at all.

    Where nothing is said, as the sidecar of a clip of our own has it; else as it looks.
    """
    facts = footage.facts
    kind = kind or alpha_beside(footage.files)
    if kind is None:
        facts = interpretation(footage)
    elif facts.alpha:
        facts = facts.model_copy(update={"alpha_kind": "" if kind == "none" else kind, "alpha_over": (0.0, 0.0, 0.0)})
    return footage._replace(facts=facts)


def recipe_in(path: Path) -> Recipe:
    try:
        return read_recipe(json.loads(path.read_text()))
    except (OSError, UnicodeDecodeError, json.JSONDecodeError) as error:
        raise RecipeError(f"{path} is not a readable JSON file: {error}.") from None
