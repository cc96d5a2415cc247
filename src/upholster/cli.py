"""The command line: probe, key, proof, formats; no browser and no database."""

import json
import os
import sys
from collections.abc import Callable
from fractions import Fraction
from pathlib import Path
from typing import Any

import click

from upholster import __version__
from upholster.core.first_recipe import first_look
from upholster.core.kernels import row_bands
from upholster.core.recipe import Recipe, RecipeError, read_recipe
from upholster.media.decoder.reader import probe as probe_files
from upholster.media.errors import MediaError
from upholster.media.formats import ALPHA_WORDS, FORMATS
from upholster.media.sequences import find_pictures
from upholster.media.writer import picture_name
from upholster.memory import keep_freed_memory
from upholster.studio.keying import Footage, prove_keyed, screen_of, survey_footage, write_keyed
from upholster.studio.sidecar import sha256_of, write_sidecar


class _Program(click.Group):
    def invoke(self, ctx: click.Context) -> Any:
        try:
            return super().invoke(ctx)
        except (MediaError, RecipeError) as error:
            click.echo(f"upholster: {error}", err=True)
            sys.exit(1)


@click.group(cls=_Program)
@click.version_option(__version__)
def main() -> None:
    """Take the background out of a shot and deliver it with clean alpha."""
    keep_freed_memory()


def _open(given: str) -> Footage:
    files = tuple(find_pictures(given))
    return Footage(files, probe_files(files))


def _read_recipe(path: Path) -> Recipe:
    try:
        return read_recipe(json.loads(path.read_text()))
    except (OSError, UnicodeDecodeError, json.JSONDecodeError) as error:
        raise RecipeError(f"{path} is not a readable JSON file: {error}.") from None


def _recipe(footage: Footage, path: Path | None, empty: str | None, say: Callable[[str], None]) -> tuple[Recipe, Any]:
    taken = survey_footage(footage)
    if path:
        recipe = _read_recipe(path)
    else:
        look = first_look(taken)
        recipe = look.recipe
        for sentence in look.sentences:
            say(sentence)
    return recipe, screen_of(taken, recipe, survey_footage(_open(empty)) if empty else None)


@main.command()
@click.argument("file")
@click.option("--json", "as_json", is_flag=True, help="Print everything as JSON.")
def probe(file: str, as_json: bool) -> None:
    """Tell what FILE holds."""
    facts = _open(file).facts
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


@main.command(name="key")
@click.argument("plate")
@click.argument("out", type=click.Path(path_type=Path))
@click.option(
    "--recipe",
    "recipe_path",
    type=click.Path(path_type=Path),
    help="Recipe to use instead of the first look's.",
)
@click.option("--empty", help="Footage of the empty set, taken as the clean plate.")
@click.option("--save-recipe", type=click.Path(path_type=Path), help="Write the recipe that was used.")
@click.option("--format", "name", type=click.Choice(sorted(FORMATS)), help="Format; by default from the suffix of OUT.")
@click.option("--frames", help="First and last frame, as A-B.")
@click.option("--alpha", type=click.Choice(sorted(ALPHA_WORDS)), help="Kind of alpha.")
@click.option("--json", "as_json", is_flag=True, help="Print the result as JSON.")
def key_command(
    plate: str,
    out: Path,
    recipe_path: Path | None,
    empty: str | None,
    save_recipe: Path | None,
    name: str | None,
    frames: str | None,
    alpha: str | None,
    as_json: bool,
) -> None:
    """Key PLATE into OUT: a file, or a folder for sequences. Nothing is overwritten."""
    form = FORMATS[name] if name else next((f for f in FORMATS.values() if f.suffix == out.suffix.lower()), None)
    if form is None:
        raise click.UsageError("Say which format with --format; `upholster formats` lists them.")
    kind: Any = alpha or form.alpha_kinds[0]
    if form.sequence and out.is_dir() and any(out.glob(f"*{form.suffix}")):
        raise MediaError(f"{out} already holds pictures. Name an empty folder.")
    if not form.sequence and (out.exists() or out.is_dir()):
        raise MediaError(f"{out} exists already. Name a new file.")
    footage = _open(plate)
    recipe, known = _recipe(footage, recipe_path, empty, lambda s: click.echo(s, err=True))
    numbers = _span(frames, footage.facts.length) or recipe.take.span(footage.facts.length)
    with row_bands():
        write_keyed(footage, recipe, known, numbers, form, out, kind, first=numbers.start, threads=os.cpu_count() or 1)
        files = [picture_name(out, n, form.suffix) for n in numbers] if form.sequence else [out]
        proof = prove_keyed(footage, recipe, known, numbers, form, files, kind)
    sidecar = out / "clip.json" if form.sequence else out.with_name(out.name + ".json")
    write_sidecar(sidecar, recipe=recipe, source_sha256=sha256_of(footage.files), form=form, proof=proof)
    if save_recipe:
        save_recipe.write_text(recipe.model_dump_json(indent=2) + "\n")
    click.echo(proof.model_dump_json(indent=2) if as_json else proof.in_words())
    if not proof.passed:
        raise MediaError(f"{out} did not pass its proof: {proof.reason}")


def _span(given: str | None, length: int) -> range | None:
    if given is None:
        return None
    first, _, last = given.partition("-")
    if not (first.isdigit() and (last or first).isdigit()) or not int(first) <= int(last or first) < length:
        raise click.UsageError(f"--frames wants A-B within 0-{length - 1}.")
    return range(int(first), int(last or first) + 1)


@main.command()
@click.argument("file")
@click.option("--against", help="The plate FILE was keyed from.")
@click.option("--recipe", "recipe_path", type=click.Path(path_type=Path), help="The recipe it was keyed with.")
@click.option("--empty", help="Footage of the empty set, taken as the clean plate.")
@click.option("--frames", help="Which frames of the plate, as A-B.")
@click.option("--format", "name", type=click.Choice(sorted(FORMATS)), help="The format FILE was written in.")
@click.option("--alpha", type=click.Choice(sorted(ALPHA_WORDS)), default="straight", help="Kind of alpha in FILE.")
@click.option("--json", "as_json", is_flag=True, help="Print the result as JSON.")
def proof(
    file: str,
    against: str | None,
    recipe_path: Path | None,
    empty: str | None,
    frames: str | None,
    name: str | None,
    alpha: Any,
    as_json: bool,
) -> None:
    """Tell whether alpha is really in FILE, and compare it with its plate where one is given."""
    found = _open(file)
    if against is None:
        report = {
            "alpha": found.facts.alpha,
            "codec": found.facts.codec,
            "frames": found.facts.length,
            "rate": str(found.facts.rate),
            "depth": found.facts.depth,
        }
        words = (
            f"Alpha is in the file, {found.facts.length} frames."
            if found.facts.alpha
            else "There is no alpha in this file."
        )
        click.echo(json.dumps(report, indent=2) if as_json else words)
        if not found.facts.alpha:
            raise MediaError(f"{file} carries no alpha, so its background would be opaque. Render it again.")
        return
    form = FORMATS[name] if name else _guess(found)
    plate = _open(against)
    recipe, known = _recipe(plate, recipe_path, empty, lambda s: None)
    numbers = _span(frames, plate.facts.length) or recipe.take.span(plate.facts.length)
    result = prove_keyed(plate, recipe, known, numbers, form, list(found.files), alpha)
    click.echo(result.model_dump_json(indent=2) if as_json else result.in_words())
    if not result.passed:
        raise MediaError(f"{file} did not pass: {result.reason}")


def _guess(found: Footage) -> Any:
    codecs = {"vp8": "vp9", "libvpx-vp9": "vp9", "prores": "prores_ks"}
    codec = codecs.get(found.facts.codec, found.facts.codec)
    for form in FORMATS.values():
        if form.codec in (codec, "libvpx-" + codec) and form.depth <= found.facts.depth <= max(
            form.depth, form.alpha_depth
        ):
            return form
    raise click.UsageError("Say which format with --format.")


@main.command()
@click.option("--json", "as_json", is_flag=True, help="Print everything as JSON.")
def formats(as_json: bool) -> None:
    """List the formats a clip can be delivered in."""
    if as_json:
        click.echo(json.dumps([f._asdict() for f in FORMATS.values()], indent=2, default=_plain))
        return
    for form in FORMATS.values():
        click.echo(f"{form.name:<11} {form.title:<23} {form.suffix:<6} {form.note}")


def _plain(value: object) -> object:
    return str(value) if isinstance(value, Fraction | Path) else list(value)  # type: ignore[call-overload]
