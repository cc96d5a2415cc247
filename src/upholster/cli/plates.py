"""Footage and recipes as they are named on the command line."""

import json
from pathlib import Path

from upholster.core.documents.recipe import Recipe, RecipeError, read_recipe
from upholster.media.decoder.reader import probe as probe_files
from upholster.media.sequences import find_pictures
from upholster.studio.making.keying import Footage


def open_footage(given: str) -> Footage:
    files = tuple(find_pictures(given))
    return Footage(files, probe_files(files))


def recipe_in(path: Path) -> Recipe:
    try:
        return read_recipe(json.loads(path.read_text()))
    except (OSError, UnicodeDecodeError, json.JSONDecodeError) as error:
        raise RecipeError(f"{path} is not a readable JSON file: {error}.") from None
