"""`probe` and `formats`: what a file holds, and what can be delivered."""

import json
from fractions import Fraction
from pathlib import Path

import click

from upholster.cli.options import JSON
from upholster.cli.plates import open_footage, with_alpha_as
from upholster.cli.program import main
from upholster.media.formats import FORMATS, NEEDS


@main.command()
@click.argument("file")
@JSON
def probe(file: str, as_json: bool) -> None:
    """Tell what FILE holds."""
    facts = with_alpha_as(open_footage(file), None).facts
    if as_json:
        click.echo(facts.model_dump_json(indent=2))
        return
    click.echo(
        f"{facts.kind}, {facts.codec} in {facts.container}: {facts.width}x{facts.height}, "
        f"{facts.length} frames at {facts.rate}, {facts.depth} bits {facts.subsampling}".rstrip()
    )
    click.echo(f"Colour: {facts.colour.in_words()}.")
    click.echo(f"Alpha: {facts.alpha_kind or 'none'}.")
    for note in facts.notes:
        click.echo(note)


@main.command()
@JSON
def formats(as_json: bool) -> None:
    """List the formats a clip can be delivered in, by what it is for."""
    if as_json:
        click.echo(json.dumps([f._asdict() for f in FORMATS.values()], indent=2, default=_plain))
        return
    for need, words in NEEDS.items():
        click.echo(f"For {words}:")
        for form in (f for f in FORMATS.values() if f.need == need):
            click.echo(f"  {form.name:<14} {form.title:<27} {form.suffix:<6} {form.note}")


def _plain(value: object) -> object:
    return str(value) if isinstance(value, Fraction | Path) else list(value)  # type: ignore[call-overload]
