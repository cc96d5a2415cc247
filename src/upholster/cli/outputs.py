"""Where a clip is to go: looked at before any work is done, so that nothing is lost or spoilt."""

import os
from pathlib import Path

import click

from upholster.media.errors import MediaError
from upholster.media.formats import FORMATS, Format


def form_of(out: Path, name: str | None) -> Format:
    """The format of a name, or else of a suffix.

    Raises
    ------
    click.UsageError
        Where neither tells one, or they do not fit together.
    """
    if name is None:
        form = next((f for f in FORMATS.values() if f.suffix == out.suffix.lower()), None)
        if form is None:
            raise click.UsageError("Say which format with --format; `upholster formats` lists them.")
        return form
    form = FORMATS[name]
    if _one_file(form) and out.suffix and out.suffix.lower() != form.suffix:
        raise click.UsageError(f"{form.title} is written to a file that ends in {form.suffix}, not in {out.suffix}.")
    return form


def look_at(out: Path, form: Format) -> None:
    """Refuse a place that is taken, or cannot be written to.

    Raises
    ------
    MediaError
        Where there is a file or a full folder already.
    click.UsageError
        Where nothing can be written.
    """
    if out.is_dir() and any(out.iterdir()):
        raise MediaError(f"{out} already holds files. Name an empty folder.")
    if out.is_file() or (out.is_dir() and _one_file(form)):
        raise MediaError(f"{out} exists already. Name a new file.")
    _look_at_place(out)


def look_at_new(out: Path) -> None:
    """Refuse a file that is there already, or cannot be written."""
    if out.exists():
        raise MediaError(f"{out} exists already. Name a new file.")
    _look_at_place(out)


def _look_at_place(out: Path) -> None:
    if os.path.lexists(out) and not out.is_dir():
        raise click.UsageError(f"{out} is neither a file nor a folder, and is left alone. Name a new file.")
    above = next(folder for folder in out.absolute().parents if os.path.lexists(folder))
    if not above.is_dir():
        raise click.UsageError(f"{above} is not a folder. Name a place within one.")
    if not os.access(above, os.W_OK | os.X_OK):
        raise click.UsageError(f"Nothing can be written to {above}. Name another folder, or let it be written to.")


def _one_file(form: Format) -> bool:
    return form.suffix == form.delivered_suffix
