"""`masks`: masks of a recipe written as files, and read from some."""

from pathlib import Path

import click

from upholster.cli.plates import open_footage, recipe_in
from upholster.cli.program import main
from upholster.core.documents.masks import Mask
from upholster.core.documents.recipe import RecipeError
from upholster.core.masks.svg import from_svg, with_masks
from upholster.media.facts import Facts
from upholster.media.files import put_text
from upholster.media.masks import write_mattes, write_svg, write_svgs
from upholster.studio.making.from_mattes import masks_from


@main.command()
@click.argument("plate")
@click.argument("recipe", type=click.Path(path_type=Path))
@click.option("--to", "target", type=click.Path(path_type=Path), help="Write the masks: an .svg, or a folder.")
@click.option(
    "--as", "what", type=click.Choice(["svg", "matte"]), default="svg", help="What a folder holds, a frame each."
)
@click.option(
    "--from",
    "source",
    type=click.Path(path_type=Path),
    help="Add masks to RECIPE: the paths of an SVG, or mattes of the plate's size, as a clip or a folder of pictures.",
)
def masks(plate: str, recipe: Path, target: Path | None, what: str, source: Path | None) -> None:
    """Write the masks of a recipe for PLATE as SVG or grey mattes, or read some from either."""
    if (target is None) == (source is None):
        raise click.UsageError("Say --to or --from, and an SVG file or a folder.")
    facts, held = open_footage(plate).facts, recipe_in(recipe)
    if target is not None:
        write = write_svg if target.suffix == ".svg" else write_svgs if what == "svg" else write_mattes
        write(target, held.masks, facts)
    elif source is not None:
        found = _masks_of(source, facts) if source.suffix == ".svg" else masks_from(open_footage(str(source)), facts)
        added = with_masks(held.masks, found)
        put_text(recipe, held.model_copy(update={"masks": added}).model_dump_json(indent=2) + "\n")


def _masks_of(path: Path, plate: Facts) -> list[Mask]:
    try:
        return from_svg(path.read_text(), float(plate.rate))
    except (OSError, ValueError) as error:
        raise RecipeError(f"{path} could not be read: {error}.") from None
