"""Footage and recipes as they are named on the command line."""

import json
from pathlib import Path

from upholster.core.documents.recipe import Recipe, RecipeError, read_recipe
from upholster.media.decoder.reader import probe as probe_files
from upholster.media.sequences import find_pictures
from upholster.studio.footage.inspect import interpretation
from upholster.studio.making.keying import Footage


def open_footage(given: str) -> Footage:
    files = tuple(find_pictures(given))
    return Footage(files, probe_files(files))


def with_alpha_as(footage: Footage, kind: str | None) -> Footage:
    """Footage whose alpha is taken as straight, premultiplied or not at all; as it looks where nothing is said."""
    facts = footage.facts
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
