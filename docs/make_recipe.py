"""Writes docs/recipe.md from the recipe's models; with --check, tells whether it is current."""

import sys
from pathlib import Path
from typing import Any

from upholster.core.numbers import Keyframe
from upholster.core.recipe import VERSION, Recipe, Sample, Settings

PAGE = Path(__file__).with_name("recipe.md")

HEAD = f"""# The recipe

Every choice made for a shot, in one JSON document, version {VERSION}. Unknown fields are refused and older
versions are migrated on reading. Pixels are pixels of the plate; frames are counted from 0 of the footage.
This page is made from the models in `src/upholster/core/recipe.py` by `docs/make_recipe.py`.

A *number* is one constant, or a list of keyframes in rising order of frames: `{{"frame": 12, "value": 0.3,
"next": "linear"}}`. `next` says how to reach the next keyframe: `hold`, `linear` or `smooth`. Before the first
and after the last keyframe the number is constant.
"""


def table(model: type[Any]) -> str:
    rows = ["| field | default | bounds | meaning |", "| --- | --- | --- | --- |"]
    numbers = model.numbers() if issubclass(model, Settings) else {}
    for name, field in model.model_fields.items():
        if name == "version" or (isinstance(field.annotation, type) and issubclass(field.annotation, Settings)):
            continue
        bounds = numbers.get(name)
        within = f"number, {bounds['low']:g} to {bounds['high']:g} {bounds['unit']}".strip() if bounds else ""
        default = "required" if field.is_required() else f"`{field.default!r}`"
        rows.append(f"| `{name}` | {default} | {within} | {field.description or ''} |")
    return "\n".join(rows)


def page() -> str:
    parts = [HEAD]
    for name, field in Recipe.model_fields.items():
        model = field.annotation
        if isinstance(model, type) and issubclass(model, Settings):
            parts += [f"## `{name}`", (model.__doc__ or "").strip(), "", table(model), ""]
    parts += ["## A sample of the screen", "", table(Sample), "", "## A keyframe", "", table(Keyframe), ""]
    return "\n".join(parts)


if __name__ == "__main__":
    if "--check" not in sys.argv:
        PAGE.write_text(page())
    elif PAGE.read_text() != page():
        sys.exit("docs/recipe.md is out of date: run docs/make_recipe.py.")
