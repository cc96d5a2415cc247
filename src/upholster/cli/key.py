"""`key`: a plate into a clip."""

import os
import sys
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from pathlib import Path
from tempfile import TemporaryDirectory
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
    READY_VALUES,
    RECIPE,
    delivery_options,
    look_at_choices,
    order_of,
    take_options,
    with_ready,
)
from upholster.cli.outputs import form_of, look_at
from upholster.cli.plates import open_footage
from upholster.cli.program import main
from upholster.core.kernels import row_bands
from upholster.media.bakes import Bakes
from upholster.media.errors import MediaError
from upholster.media.files import put_text
from upholster.media.formats import FORMATS
from upholster.studio.making.delivering import deliver
from upholster.studio.making.keying import KeyJob
from upholster.studio.making.sidecar import Source, sha256_of, write_sidecar
from upholster.studio.making.tracing import Mattes, make_all, missing_of


@main.command(name="key")
@click.argument("plate")
@click.argument("out", type=click.Path(path_type=Path))
@RECIPE
@ALPHA
@RATE
@COLOUR
@FIELDS
@EMPTY
@click.option(
    "--cache",
    type=click.Path(file_okay=False, path_type=Path),
    help="Folder in which the mattes of traces are kept, also those of a run that is stopped.",
)
@click.option("--save-recipe", type=click.Path(path_type=Path), help="Write the recipe that was used.")
@click.option("--format", "name", type=click.Choice(sorted(FORMATS)), help="Format; by default from the suffix of OUT.")
@FRAMES
@take_options
@READY_VALUES
@delivery_options
@JSON
def key_command(
    plate: str,
    out: Path,
    recipe_path: Path | None,
    plate_alpha: str | None,
    plate_rate: str | None,
    plate_colour: str | None,
    deinterlace: bool,
    empty: str | None,
    cache: Path | None,
    save_recipe: Path | None,
    name: str | None,
    frames: str | None,
    pressed: str | None,
    as_json: bool,
    **choices: Any,
) -> None:
    """Key PLATE into OUT: a file, or a folder for sequences and pairs. Nothing is overwritten."""
    form = form_of(out, with_ready(pressed, name, choices))
    look_at(out, form)
    look_at_choices(choices, form)
    key_job = key_job_of(
        open_footage(plate, plate_rate, deinterlace=deinterlace, colour=plate_colour),
        recipe_path,
        empty,
        frames,
        plate_alpha,
        choices,
        lambda s: click.echo(s, err=True),
    )
    order = order_of(choices, form.name, key_job)
    with traced_job(key_job, cache) as traced, row_bands():
        proof = deliver(traced, order, out, threads=os.cpu_count() or 1)
    sidecar = out / "clip.json" if out.is_dir() else out.with_name(out.name + ".json")
    write_sidecar(
        sidecar,
        recipe=key_job.recipe,
        source=Source(Path(plate).name, sha256_of(key_job.footage.files), key_job.footage.facts),
        planned=order.planned,
        proof=proof,
    )
    if save_recipe:
        put_text(save_recipe, key_job.recipe.model_dump_json(indent=2) + "\n")
    click.echo(proof.model_dump_json(indent=2) if as_json else proof.in_words())
    if not proof.passed:
        raise MediaError(f"{out} did not pass its proof: {proof.reason}")


@contextmanager
def traced_job(key_job: KeyJob, cache: Path | None) -> Iterator[KeyJob]:
    """The same with the mattes of its traces, made where they are missing."""
    footage, recipe, _, _ = key_job
    with ExitStack() as stack:
        folder = cache or Path(stack.enter_context(TemporaryDirectory(prefix="upholster-traces-")))
        if not missing_of(mattes := Mattes(Bakes(folder), "", footage.facts.length), recipe):
            yield key_job
            return
        mattes = mattes._replace(identity=sha256_of(footage.files))
        missing = missing_of(mattes, recipe)
        bar = stack.enter_context(
            click.progressbar(length=sum(len(frames) for _, frames in missing), label="Tracing", file=sys.stderr)
        )
        try:
            make_all(footage, recipe, mattes, lambda trace, done, count: bar.update(1))
        except OSError as error:
            raise MediaError(f"The mattes of traces could not be kept in {folder}: {error.strerror}.") from None
        bar.render_finish()
        yield key_job._replace(traced=mattes.read)
