"""`mark`: what is ground, subject, glass or gauze, told by places of the plate."""

import math
from pathlib import Path

import click

from upholster.cli.plates import open_footage, recipe_in
from upholster.cli.program import main
from upholster.core.documents.recipe import RecipeError
from upholster.core.documents.screen import SAMPLES, Of, Sample
from upholster.core.raster import Raster
from upholster.core.screen.sampled import Spot, read_at
from upholster.media.decoder.reader import Reader
from upholster.media.files import put_text
from upholster.studio.making.keying import Footage

_WHERE = "FRAME,X,Y[,RADIUS]"


@main.command()
@click.argument("plate")
@click.argument("recipe_path", metavar="RECIPE", type=click.Path(path_type=Path))
@click.option("--ground", multiple=True, metavar=_WHERE, help="Take out what has the colours of this place.")
@click.option("--subject", multiple=True, metavar=_WHERE, help="Keep what has the colours of this place.")
@click.option("--veil", multiple=True, metavar=_WHERE, help="See through glass or gauze that has them.")
def mark(
    plate: str, recipe_path: Path, ground: tuple[str, ...], subject: tuple[str, ...], veil: tuple[str, ...]
) -> None:
    """Read the colours of places of PLATE, in its pixels, and write them into RECIPE."""
    asked: list[tuple[Of, str]] = [
        *(("ground", place) for place in ground),
        *(("subject", place) for place in subject),
        *(("veil", place) for place in veil),
    ]
    if not asked:
        raise click.UsageError("Say what to mark: --ground, --subject or --veil.")
    recipe = recipe_in(recipe_path)
    footage = open_footage(plate)
    screen = recipe.screen
    samples = (*screen.samples, *(_sample(footage, of, place) for of, place in asked))
    if len(samples) > SAMPLES:
        raise RecipeError(f"{recipe_path} has {len(screen.samples)} places marked; there can be {SAMPLES}.")
    screen = screen.model_copy(update={"samples": samples})
    put_text(recipe_path, recipe.model_copy(update={"screen": screen}).model_dump_json(indent=2) + "\n")


def _sample(footage: Footage, of: Of, place: str) -> Sample:
    facts = footage.facts
    try:
        first, *rest = place.split(",")
        frame, (x, y, radius) = int(first), (_number(part) for part in (rest if len(rest) > 2 else [*rest, "4"]))
    except ValueError:
        raise click.UsageError(f"--{of} wants {_WHERE}, in pixels of the plate; {place!r} is not that.") from None
    if not 0 <= frame < facts.length:
        raise click.UsageError(f"--{of}: frames go from 0 to {facts.length - 1}.")
    if not 0 < radius < 10_000:
        raise click.UsageError(f"--{of}: a radius is more than 0 pixels.")
    with Reader(*footage) as reader:
        rgb = reader.frame(frame).rgb
    try:
        return read_at(rgb, Raster.of_plate(facts.width, facts.height), Spot(x, y, radius), of, frame)
    except ValueError as error:
        raise click.UsageError(f"--{of}: {error}.") from None


def _number(word: str) -> float:
    if not math.isfinite(number := float(word)):
        raise ValueError(word)
    return number
