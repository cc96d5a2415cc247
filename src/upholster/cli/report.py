"""`report`: what is wrong with a keyed plate, frame by frame, as a proof sheet."""

import json
import sys
from collections.abc import Sequence
from pathlib import Path

import click

from upholster.cli.jobs import key_job_of
from upholster.cli.key import traced_job
from upholster.cli.options import ALPHA, COLOUR, EMPTY, FIELDS, FRAMES, JSON, RATE, RECIPE, TAKEN
from upholster.cli.outputs import look_at_new
from upholster.cli.plates import open_footage
from upholster.cli.program import main
from upholster.core.findings.frame import Measured
from upholster.core.findings.seen import Plane
from upholster.core.findings.spans import findings
from upholster.core.raster import scale_of
from upholster.media.files import put_text
from upholster.studio.findings.sheet import Made, Subject, sheet
from upholster.studio.making.judging import judged
from upholster.studio.making.keying import KeyJob


@main.command()
@click.argument("plate")
@RECIPE
@ALPHA
@RATE
@COLOUR
@FIELDS
@EMPTY
@FRAMES
@click.option("--html", type=click.Path(path_type=Path), help="Write the proof sheet, a page that needs nothing else.")
@JSON
def report(
    plate: str,
    recipe_path: Path | None,
    plate_alpha: str | None,
    plate_rate: str | None,
    plate_colour: str | None,
    deinterlace: bool,
    empty: str | None,
    frames: str | None,
    html: Path | None,
    as_json: bool,
) -> None:
    """Measure every frame of PLATE as it is keyed, and tell what is wrong and where, worst first."""
    if html:
        look_at_new(html)
    given = dict.fromkeys(TAKEN)
    job = key_job_of(
        open_footage(plate, plate_rate, deinterlace=deinterlace, colour=plate_colour),
        recipe_path,
        empty,
        frames,
        plate_alpha,
        given,
        lambda s: click.echo(s, err=True),
    )
    with traced_job(job, None) as traced:
        subject = subject_of(Path(plate).name, traced)
    found = findings(subject.measured)
    if html:
        put_text(html, sheet(subject))
    if as_json:
        told = [
            each._asdict() | {"place": each.place._asdict(), "sentence": each.sentence(subject.scale)} for each in found
        ]
        click.echo(json.dumps({"frames": len(subject.measured), "findings": told}, indent=2))
        return
    for each in found:
        click.echo(f"{each.severity:.2f}  {each.sentence(subject.scale)}")
    if not found:
        click.echo(f"Nothing wrong was found in {len(subject.measured)} frames.")


def subject_of(name: str, job: KeyJob, made: Sequence[Made] = ()) -> Subject:
    """What a sheet needs, of all frames of a job."""
    facts = job.footage.facts
    take = job.recipe.take
    last = facts.length - 1 if take.last is None else min(take.last, facts.length - 1)
    frames = range(min(take.first, last), last + 1)
    measured: dict[int, Measured] = {}
    with click.progressbar(judged(job, frames), length=len(frames), label="Measuring", file=sys.stderr) as coming:
        for each in coming:
            measured[each.seen.frame] = each.measured

    def picture(frame: int) -> tuple[Plane, Plane]:
        seen = next(judged(job, range(frame, frame + 1))).seen
        return seen.rgb, seen.alpha

    words = f"{facts.width}×{facts.height}, frames {frames.start} to {last}, {float(facts.rate):g} a second"
    return Subject(name, words, job.recipe, scale_of(facts.width, facts.height), measured, picture, made)
