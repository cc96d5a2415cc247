"""`finish`: what a recipe's finish needs to know, measured; colour decisions read and written."""

from collections.abc import Callable
from pathlib import Path
from typing import TypeVar

import click
import numpy as np
from numpy.typing import NDArray

from upholster.cli.options import EMPTY
from upholster.cli.plates import open_footage, recipe_in
from upholster.cli.program import main
from upholster.core.documents.recipe import Finish, Recipe, RecipeError
from upholster.core.finish import measured
from upholster.core.finish.cdl import from_cdl, to_cdl
from upholster.core.kernels import row_bands
from upholster.core.raster import Raster
from upholster.media.files import put_text
from upholster.studio.making.finishing import ground_pictures, subject_pictures
from upholster.studio.making.keying import KeyJob, keyed_frames, screen_of, survey_footage

T = TypeVar("T")


@main.command()
@click.argument("plate")
@click.argument("recipe_path", metavar="RECIPE", type=click.Path(path_type=Path))
@click.option("--neutral", is_flag=True, help="Measure the subject's colour cast, and take it out.")
@click.option("--grey", help="Take a place of the subject for grey: FRAME,X,Y, in pixels of the plate.")
@click.option("--ground", help="Still or clip that the subject goes before: its colours are matched to it.")
@click.option("--grain", is_flag=True, help="Give the subject the grain of --ground.")
@click.option("--read-cdl", type=click.Path(path_type=Path), help="Take the colour decision of a .cc or .cdl file.")
@click.option("--write-cdl", type=click.Path(path_type=Path), help="Write the colour decision as .cc or .cdl.")
@EMPTY
def finish(
    plate: str,
    recipe_path: Path,
    neutral: bool,
    grey: str | None,
    ground: str | None,
    grain: bool,
    read_cdl: Path | None,
    write_cdl: Path | None,
    empty: str | None,
) -> None:
    """Measure what the finish in RECIPE needs to know of PLATE, and write it there."""
    if not (neutral or grey or ground or read_cdl or write_cdl):
        raise click.UsageError("Say what to do: --neutral, --grey, --ground, --read-cdl or --write-cdl.")
    if grain and not ground:
        raise click.UsageError("--grain is that of a --ground; say which.")
    recipe = recipe_in(recipe_path)
    found = recipe.finish
    if read_cdl:
        found = _asked(lambda: measured.decided(recipe.finish, from_cdl(_text(read_cdl))), str(read_cdl))
    if neutral or grey or ground:
        with row_bands():
            found = _measured(_job(plate, recipe, empty), found, ground, grey, neutral=neutral, grain=grain)
    if found != recipe.finish:
        put_text(recipe_path, recipe.model_copy(update={"finish": found}).model_dump_json(indent=2) + "\n")
    if write_cdl:
        put_text(write_cdl, to_cdl(measured.decision_of(found, 0), write_cdl.stem, whole=write_cdl.suffix == ".cdl"))


def _job(plate: str, recipe: Recipe, empty: str | None) -> KeyJob:
    footage = open_footage(plate)
    known = screen_of(survey_footage(footage), recipe, survey_footage(open_footage(empty)) if empty else None)
    return KeyJob(footage, recipe, known)


def _measured(
    job: KeyJob, finish: Finish, ground: str | None, grey: str | None, *, neutral: bool, grain: bool
) -> Finish:
    plate = job.footage.files[0].name
    if neutral:
        seen = subject_pictures(job, Finish())
        finish = _asked(lambda: measured.neutralised(finish, seen), plate)
    if grey:
        colour = _asked(lambda: _colour(job, finish, grey), plate)
        finish = _asked(lambda: measured.balanced_on(finish, colour), plate)
    if ground:
        before, grounds = subject_pictures(job, measured.before_match(finish)), ground_pictures(open_footage(ground))
        finish = _asked(lambda: measured.in_scene(finish, before, grounds, Path(ground).name), plate)
        if grain:
            finish = measured.grained_as(finish, grounds)
    return finish


def _colour(job: KeyJob, finish: Finish, grey: str) -> NDArray[np.float32]:
    """The subject's colour at a place that is told as FRAME,X,Y."""
    facts = job.footage.facts
    try:
        frame, x, y = (int(part) for part in grey.split(","))
    except ValueError:
        raise click.UsageError("--grey wants FRAME,X,Y as whole numbers.") from None
    if not 0 <= frame < facts.length:
        raise click.UsageError(f"--grey: frames go from 0 to {facts.length - 1}.")
    raster = job.recipe.take.result(Raster.of_plate(facts.width, facts.height))
    looked = job.recipe.model_copy(update={"finish": measured.before_light(finish)})
    (seen,) = keyed_frames(job._replace(recipe=looked), [frame])
    return measured.colour_at(seen.rgb, seen.alpha, raster, x, y, 4)


def _text(path: Path) -> str:
    try:
        return path.read_text()
    except (OSError, UnicodeDecodeError) as error:
        raise RecipeError(f"{path} could not be read: {error}.") from None


def _asked(make: Callable[[], T], what: str) -> T:
    try:
        return make()
    except ValueError as error:
        raise RecipeError(f"{what}: {error}.") from None
