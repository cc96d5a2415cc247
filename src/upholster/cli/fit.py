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
from upholster.core.composite import values
from upholster.core.documents.fitting import Fitting, FittingError, Source, read_fitting
from upholster.core.kernels import row_bands
from upholster.media.errors import MediaError
from upholster.media.files import put_text
from upholster.media.formats import FORMATS, Format
from upholster.studio.making.delivering import deliver
from upholster.studio.making.fitting import FitJob, fit_job
from upholster.studio.making.keying import Footage, Job, KeyJob, screen_of, survey_footage
from upholster.studio.making.layer_footage import Apart, Taken, has_pictures, size_of, unkeyed
from upholster.studio.making.sidecar import write_fitting_sidecar
from upholster.studio.naming import safe_name


@main.command()
@click.argument("fitting_path", metavar="FITTING", type=click.Path(path_type=Path))
@click.argument("out", type=click.Path(path_type=Path))
@click.option("--format", "name", type=click.Choice(sorted(FORMATS)), help="Format; by default from the suffix of OUT.")
@click.option("--layer", help="Deliver this layer alone, at the fitting's size: its mark or its name.")
@click.option(
    "--apart",
    is_flag=True,
    help="Write each layer as a clip of its own into the folder OUT, and what it is at on every frame as CSV and JSON.",
)
@READY_VALUES
@delivery_options
@JSON
def fit(
    fitting_path: Path,
    out: Path,
    name: str | None,
    layer: str | None,
    apart: bool,
    pressed: str | None,
    as_json: bool,
    **choices: Any,
) -> None:
    """Lay FITTING's layers over each other and write OUT: with alpha where the format has it, else over its ground."""
    name = with_ready(pressed, name, choices)
    form = FORMATS[name or "prores4444"] if apart else form_of(out, name)
    look_at(out, form)
    look_at_choices(choices, form)
    fitting = fitting_in(fitting_path)
    if apart:
        _write_apart(fitting, fitting_path.parent, out, form, choices)
        return
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


def _write_apart(fitting: Fitting, beside: Path, out: Path, form: Format, choices: dict[str, Any]) -> None:
    """Each layer's pictures at their own size, and the numbers by which they lie in the fitting."""
    out.mkdir(parents=True, exist_ok=True)
    jobs = {mark: job_of_layer(layer.source, beside) for mark, layer in fitting.layers.each.items()}
    seen = {mark: job for mark, job in jobs.items() if has_pictures(job)}
    for number, mark in enumerate(fitting.layers.order, 1):
        if mark not in seen:
            continue
        layer = fitting.layers.each[mark]
        alone = Apart(seen[mark], layer)
        stem = f"{number:02d}_{safe_name(layer.name).replace(' ', '_')}"
        target = out / (stem if form.sequence or form.content == "pair" else stem + form.suffix)
        with row_bands():
            proof = deliver(alone, order_of(choices, form.name, alone), target, threads=os.cpu_count() or 1)
        click.echo(f"{layer.name}: {proof.in_words()}")
        if not proof.passed:
            raise MediaError(f"{target} did not pass its proof: {proof.reason}")
    sizes = {mark: size_of(job) for mark, job in seen.items()}
    put_text(out / "values.csv", values.as_csv(fitting, sizes))
    put_text(out / "values.json", values.as_json(fitting, sizes))


def fitting_in(path: Path) -> Fitting:
    """The fitting of a file."""
    try:
        return read_fitting(json.loads(path.read_text()))
    except (OSError, UnicodeDecodeError, json.JSONDecodeError) as error:
        raise FittingError(f"{path} is not a readable JSON file: {error}.") from None


def _job_of(fitting: Fitting, beside: Path, *, over_ground: bool) -> FitJob:
    """A fitting with its files found, by paths that begin beside it."""
    layers = {mark: job_of_layer(layer.source, beside) for mark, layer in fitting.layers.shown}
    ground = _footage(fitting.ground.source, beside) if fitting.ground.source and over_ground else None
    return fit_job(fitting, layers, ground, over_ground=over_ground)


def job_of_layer(source: Source, beside: Path) -> Job:
    """What makes the pictures of a layer, its files found by paths that begin beside the fitting's."""
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
