"""`timeline`: a fitting as a timeline of OpenTimelineIO, and a timeline as a fitting."""

from pathlib import Path

import click

from upholster.cli.fit import fitting_in, job_of_layer
from upholster.cli.outputs import look_at_new
from upholster.cli.program import main
from upholster.core.documents.fitting import Source
from upholster.media.errors import MediaError
from upholster.media.files import put_text
from upholster.media.timeline import Media, fitting_of, timeline_of
from upholster.studio.making.layer_footage import has_pictures


@main.command()
@click.argument("given", metavar="FROM", type=click.Path(path_type=Path))
@click.argument("out", metavar="TO", type=click.Path(path_type=Path))
def timeline(given: Path, out: Path) -> None:
    """Write the fitting FROM as the timeline TO (.otio), or a timeline as a fitting (.json).

    Files of a timeline are looked for beside it, by their names.
    """
    kinds = given.suffix.lower(), out.suffix.lower()
    if kinds not in ((".json", ".otio"), (".otio", ".json")):
        raise click.UsageError("Name a fitting (.json) and a timeline (.otio) to write, or the other way round.")
    look_at_new(out)
    if kinds[1] == ".otio":
        fitting = fitting_in(given)
        media = {}
        for mark, layer in fitting.layers.each.items():
            job = job_of_layer(layer.source, given.parent)
            facts = job.footage.facts
            media[mark] = Media(layer.source.path, facts.length, facts.rate, not has_pictures(job))
        put_text(out, timeline_of(fitting, given.stem, media))
        return
    try:
        text = given.read_text()
    except (OSError, UnicodeDecodeError) as error:
        raise MediaError(f"{given} cannot be read: {error}.") from None
    _, fitting = fitting_of(text, lambda own, name: own or Source(kind="file", path=name))
    put_text(out, fitting.model_dump_json(indent=2) + "\n")
