"""`proof`: whether alpha is really in a file, and whether it is what its plate gives."""

from pathlib import Path
from typing import Any

import click

from upholster.cli.jobs import key_job_of
from upholster.cli.options import (
    ALPHA,
    COLOUR,
    EMPTY,
    FIELDS,
    FRAMES,
    JSON,
    RATE,
    RECIPE,
    delivery_options,
    order_of,
    take_options,
)
from upholster.cli.plates import open_footage
from upholster.cli.program import main
from upholster.media.delivery import Plan
from upholster.media.encoder.pair import pair_files
from upholster.media.errors import MediaError
from upholster.media.formats import FORMATS
from upholster.media.sequences import find_pictures
from upholster.studio.footage.inspect import inspect
from upholster.studio.making.proving import prove_files


@main.command()
@click.argument("file")
@click.option("--against", help="The plate FILE was keyed from.")
@RECIPE
@ALPHA
@RATE
@COLOUR
@FIELDS
@EMPTY
@FRAMES
@click.option("--format", "name", type=click.Choice(sorted(FORMATS)), help="The format FILE was written in.")
@take_options
@delivery_options
@JSON
def proof(
    file: str,
    against: str | None,
    recipe_path: Path | None,
    plate_alpha: str | None,
    plate_rate: str | None,
    plate_colour: str | None,
    deinterlace: bool,
    empty: str | None,
    frames: str | None,
    name: str | None,
    as_json: bool,
    **choices: Any,
) -> None:
    """Tell whether alpha is really in FILE, of which kind, and compare it with its plate where one is given."""
    if against is None:
        found = inspect(open_footage(file))
        click.echo(found.model_dump_json(indent=2) if as_json else found.in_words())
        for warning in () if as_json else found.warnings:
            click.echo(warning)
        if not found.alpha:
            raise MediaError(f"{file} carries no alpha, so its background is opaque. Deliver it again.")
        return
    plate = open_footage(against, plate_rate, deinterlace=deinterlace, colour=plate_colour)
    key_job = key_job_of(plate, recipe_path, empty, frames, plate_alpha, choices, lambda s: None)
    order = order_of(choices, name or _guess(file), key_job)
    result = prove_files(key_job, order, _files_of(file, order.planned))
    click.echo(result.model_dump_json(indent=2) if as_json else result.in_words())
    if not result.passed:
        raise MediaError(f"{file} did not pass: {result.reason}")


def _files_of(given: str, planned: Plan) -> list[Path]:
    return pair_files(Path(given), planned.form) if planned.form.content == "pair" else find_pictures(given)


def _guess(given: str) -> str:
    """The format a file was most likely written in, from its codec and depth."""
    facts = open_footage(given).facts
    codecs = {"vp9": "libvpx-vp9", "prores": "prores_ks", "h264": "libx264", "webp": "libwebp_anim", "openexr": "exr"}
    for form in FORMATS.values():
        fits = form.depth <= facts.depth <= max(form.depth, form.alpha_depth)
        if form.content == "keyed" and form.codec == codecs.get(facts.codec, facts.codec) and fits:
            return form.name
    raise click.UsageError("Say which format with --format.")
