"""`fit`: a fitting, clips in layers over a ground, into a file."""

import json
import os
from pathlib import Path
from typing import Any

import click

from upholster.cli.options import JSON, READY_VALUES, delivery_options, look_at_choices, order_of, with_ready
from upholster.cli.outputs import form_of, look_at
from upholster.cli.plates import open_footage, recipe_in, with_alpha_as
from upholster.cli.program import main
from upholster.core.documents.fitting import Fitting, FittingError, Source, read_fitting
from upholster.core.kernels import row_bands
from upholster.media.errors import MediaError
from upholster.media.formats import FORMATS
from upholster.studio.making.delivering import deliver
from upholster.studio.making.fitting import FitJob, Taken, fit_job, unkeyed
from upholster.studio.making.keying import Footage, Job, KeyJob, screen_of, survey_footage
from upholster.studio.making.sidecar import write_fitting_sidecar


@main.command()
@click.argument("fitting_path", metavar="FITTING", type=click.Path(path_type=Path))
@click.argument("out", type=click.Path(path_type=Path))
@click.option("--format", "name", type=click.Choice(sorted(FORMATS)), help="Format; by default from the suffix of OUT.")
@click.option("--layer", help="Deliver this layer alone, at the fitting's size: its mark or its name.")
@READY_VALUES
@delivery_options
@JSON
def fit(
    fitting_path: Path,
    out: Path,
    name: str | None,
    layer: str | None,
    pressed: str | None,
    as_json: bool,
    **choices: Any,
) -> None:
    """Lay FITTING's layers over each other and write OUT: with alpha where the format has it, else over its ground."""
    form = form_of(out, with_ready(pressed, name, choices))
    look_at(out, form)
    look_at_choices(choices, form)
    fitting = _fitting_in(fitting_path)
    if layer is not None:
        fitting = fitting.alone(layer)
    job = _job_of(fitting, fitting_path.parent, over_ground=form.alpha_depth == 0)
    order = order_of(choices, form.name, job)
    with row_bands():
        proof = deliver(job, order, out, threads=os.cpu_count() or 1)
    sidecar = out / "clip.json" if out.is_dir() else out.with_name(out.name + ".json")
    write_fitting_sidecar(sidecar, fitting=fitting, planned=order.planned, proof=proof)
    click.echo(proof.model_dump_json(indent=2) if as_json else proof.in_words())
    if not proof.passed:
        raise MediaError(f"{out} did not pass its proof: {proof.reason}")


def _fitting_in(path: Path) -> Fitting:
    try:
        return read_fitting(json.loads(path.read_text()))
    except (OSError, UnicodeDecodeError, json.JSONDecodeError) as error:
        raise FittingError(f"{path} is not a readable JSON file: {error}.") from None


def _job_of(fitting: Fitting, beside: Path, *, over_ground: bool) -> FitJob:
    """A fitting with its files found, by paths that begin beside it."""
    layers = {mark: _layer_job(layer.source, beside) for mark, layer in fitting.layers.shown}
    ground = _footage(fitting.ground.source, beside) if fitting.ground.source and over_ground else None
    return fit_job(fitting, layers, ground, over_ground=over_ground)


def _layer_job(source: Source, beside: Path) -> Job:
    footage = _footage(source, beside)
    if not source.recipe:
        return unkeyed(footage)
    recipe = recipe_in(beside / source.recipe)
    return Taken(KeyJob(footage, recipe, screen_of(survey_footage(footage), recipe)))


def _footage(source: Source, beside: Path) -> Footage:
    if source.kind != "file":
        raise FittingError(
            f"This fitting uses a {source.kind} of the house, which the command line does not see. Write files in its "
            "place: deliver it from the Fittings page, or save the fitting with its files there."
        )
    return with_alpha_as(open_footage(str(beside / source.path)), None)
