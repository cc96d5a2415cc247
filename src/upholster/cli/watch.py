"""`watch`: plates that land in a folder are keyed, delivered and proofed, one after the other."""

import json
import os
import shutil
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import click

from upholster.cli.jobs import key_job_of
from upholster.cli.key import traced_job
from upholster.cli.options import READY_VALUES, RECIPE, TAKEN, delivery_options, look_at_choices, order_of, with_ready
from upholster.cli.outputs import form_of
from upholster.cli.plates import open_footage
from upholster.cli.program import main
from upholster.cli.report import subject_of
from upholster.core.documents.recipe import RecipeError
from upholster.core.kernels import row_bands
from upholster.media.errors import MediaError
from upholster.media.files import put_text
from upholster.media.formats import FORMATS, Format
from upholster.studio.findings.sheet import Made, sheet
from upholster.studio.making.delivering import deliver
from upholster.studio.making.sidecar import Source, sha256_of, write_sidecar
from upholster.studio.watched.landing import DONE, FAILED, Landing, free, put_away

#: Folder of unfinished files.
_WORKING = ".working"


@main.command()
@click.argument("folder", metavar="IN", type=click.Path(file_okay=False, path_type=Path))
@click.argument("out", type=click.Path(file_okay=False, path_type=Path))
@RECIPE
@click.option("--format", "name", type=click.Choice(sorted(FORMATS)), help="Format; by default ProRes 4444.")
@click.option(
    "--settled",
    type=click.FloatRange(0.1, 3600),
    default=3.0,
    help="Seconds without growing after which a file has arrived.",
)
@click.option("--once", is_flag=True, help="End once all that is there now is done.")
@click.option("--report", "with_report", is_flag=True, help="Write a proof sheet beside each clip.")
@click.option("--json", "as_json", is_flag=True, help="Tell every event as a line of JSON.")
@READY_VALUES
@delivery_options
def watch(
    folder: Path,
    out: Path,
    recipe_path: Path | None,
    name: str | None,
    settled: float,
    once: bool,
    with_report: bool,
    as_json: bool,
    pressed: str | None,
    **choices: Any,
) -> None:
    """Key what lands in IN into OUT until it is stopped: files, and folders of numbered pictures.

    What has stopped growing is keyed, by RECIPE or by one proposed for each, delivered and proofed; then it goes to
    IN/done. What cannot be goes to IN/failed, with a sentence beside it. Stopped in the middle, it begins anew.
    """
    chosen = with_ready(pressed, name, choices) or "prores4444"
    form = form_of(Path(f"x{FORMATS[chosen].suffix}"), chosen)
    look_at_choices(choices, form)
    if not folder.is_dir():
        raise click.UsageError(f"{folder} is not a folder.")
    for each in (folder / DONE, folder / FAILED, out):
        each.mkdir(parents=True, exist_ok=True)
    # What was under way when it was stopped is not finished.
    shutil.rmtree(out / _WORKING, ignore_errors=True)

    def tell(event: str, words: str, **more: Any) -> None:
        click.echo(json.dumps({"event": event, "words": words, **more}) if as_json else words)

    tell("watching", f"Watching {folder}. Stop with Ctrl-C.", folder=str(folder))
    try:
        for plate in _arrived(folder, settled, once=once):
            began = time.monotonic()
            tell("begun", f"{plate.name}: keying.", plate=plate.name)
            try:
                made, words = _keyed(plate, out, form, recipe_path, dict(choices), with_report=with_report)
            except (MediaError, RecipeError, OSError) as error:
                there = put_away(plate, folder / FAILED)
                put_text(there.with_name(there.name + ".txt"), f"{error}\n")
                tell("failed", f"{plate.name}: {error}", plate=plate.name, moved=str(there))
                continue
            put_away(plate, folder / DONE)
            took = round(time.monotonic() - began, 1)
            tell("done", f"{plate.name}: {made.name}. {words}", plate=plate.name, made=str(made), seconds=took)
    except KeyboardInterrupt:
        tell("stopped", "Stopped.")
    finally:
        shutil.rmtree(out / _WORKING, ignore_errors=True)


def _arrived(folder: Path, settled: float, *, once: bool) -> Iterator[Path]:
    """Entries of a folder, oldest name first, each as soon as it has stopped growing."""
    landing = Landing(folder, settled)
    while True:
        ready = landing.arrived(time.monotonic())
        if ready:
            yield ready[0]
        elif once and landing.empty:
            return
        else:
            time.sleep(min(settled, 1.0) / 2)


def _keyed(
    plate: Path, out: Path, form: Format, recipe: Path | None, choices: dict[str, Any], *, with_report: bool
) -> tuple[Path, str]:
    """Key a plate into `out`; the file or folder that was made, and what its proof says."""
    job = key_job_of(open_footage(str(plate)), recipe, None, None, None, _with_take(choices), lambda words: None)
    one_file = form.suffix == form.delivered_suffix
    working = out / _WORKING / (plate.stem + (form.suffix if one_file else ""))
    made = free(out / working.name)
    order = order_of(choices, form.name, job)
    with traced_job(job, None) as traced, row_bands():
        proof = deliver(traced, order, working, threads=os.cpu_count() or 1)
        made_of = [Made(f"{made.name}, {form.name}", proof.in_words(), proof.passed)]
        told = sheet(subject_of(plate.name, traced, made_of)) if with_report else ""
    if not proof.passed:
        raise MediaError(f"What was made of it did not pass its proof: {proof.reason}")
    beside = working / "clip.json" if working.is_dir() else working.with_name(working.name + ".json")
    source = Source(plate.name, sha256_of(job.footage.files), job.footage.facts)
    write_sidecar(beside, recipe=job.recipe, source=source, planned=order.planned, proof=proof)
    working.rename(made)
    if beside.exists():
        beside.rename(made.with_name(made.name + ".json"))
    if told:
        put_text(made.with_name(made.name + ".html"), told)
    return made, proof.in_words()


def _with_take(choices: dict[str, Any]) -> dict[str, Any]:
    """Choices with none for the take: `watch` leaves that to the recipe."""
    return {**dict.fromkeys(TAKEN), **choices}
