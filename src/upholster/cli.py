"""The command line: probe, key, proof, formats; no browser and no database."""

import json
import os
import sys
from collections.abc import Callable, Iterator
from contextlib import ExitStack, contextmanager
from fractions import Fraction
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

import click

from upholster import __version__
from upholster.core.documents.masks import Mask
from upholster.core.documents.recipe import Recipe, RecipeError, Take, read_recipe
from upholster.core.first_recipe import first_look
from upholster.core.kernels import row_bands
from upholster.core.masks.svg import from_svg, with_masks
from upholster.media.bakes import Bakes
from upholster.media.decoder.reader import probe as probe_files
from upholster.media.delivery import Delivery, Plan, plan, read_delivery, too_odd
from upholster.media.encoder.pair import pair_files
from upholster.media.errors import MediaError
from upholster.media.facts import Facts
from upholster.media.files import put_text
from upholster.media.formats import FORMATS, NEEDS
from upholster.media.masks import write_mattes, write_svg, write_svgs
from upholster.media.sequences import find_pictures
from upholster.memory import keep_freed_memory
from upholster.studio.footage.inspect import inspect
from upholster.studio.making.delivering import Order, deliver, prove_files
from upholster.studio.making.flat import settled
from upholster.studio.making.from_mattes import masks_from
from upholster.studio.making.keying import Footage, KeyJob, screen_of, survey_footage
from upholster.studio.making.sidecar import sha256_of, write_sidecar
from upholster.studio.making.tracing import Mattes, make_all, missing_of


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


_JSON = click.option("--json", "as_json", is_flag=True, help="Print everything as JSON.")
_RECIPE = click.option(
    "--recipe", "recipe_path", type=click.Path(path_type=Path), help="Recipe to use instead of the first look's."
)
_EMPTY = click.option("--empty", help="Footage of the empty set, taken as the clean plate.")
_FRAMES = click.option("--frames", "--range", "frames", help="First and last frame of the plate, as A-B.")


def _delivery_options(command: Callable[..., None]) -> Callable[..., None]:
    """An option for every choice of a delivery but its format."""
    for name, field in reversed(Delivery.model_fields.items()):
        if name in ("format", "version"):
            continue
        flag = "--" + name.replace("_", "-")
        if field.annotation is bool:
            command = click.option(flag, name, is_flag=True, default=None, help=field.description)(command)
        else:
            command = click.option(flag, name, help=field.description)(command)
    return command


#: The choices of a take that have an option of their own.
_TAKEN = [name for name in Take.model_fields if name not in ("first", "last")]


def _take_options(command: Callable[..., None]) -> Callable[..., None]:
    """An option for every choice of a take but its range; each goes before the recipe's own."""
    for name in reversed(_TAKEN):
        field = Take.model_fields[name]
        flag = "--" + name.replace("_", "-")
        if field.annotation is bool:
            command = click.option(f"{flag}/--no-{flag[2:]}", name, default=None, help=field.description)(command)
        else:
            command = click.option(flag, name, help=field.description)(command)
    return command


def _open(given: str) -> Footage:
    files = tuple(find_pictures(given))
    return Footage(files, probe_files(files))


def _read_recipe(path: Path) -> Recipe:
    try:
        return read_recipe(json.loads(path.read_text()))
    except (OSError, UnicodeDecodeError, json.JSONDecodeError) as error:
        raise RecipeError(f"{path} is not a readable JSON file: {error}.") from None


def _key_job(
    footage: Footage,
    path: Path | None,
    empty: str | None,
    frames: str | None,
    given: dict[str, Any],
    say: Callable[[str], None],
) -> KeyJob:
    """Footage with the recipe given, or proposed; choices of the take are taken out of `given`."""
    taken = survey_footage(footage)
    if path:
        recipe = _read_recipe(path)
    else:
        look = first_look(taken, footage.facts.pixel_aspect)
        recipe = look.recipe
        for sentence in look.sentences:
            say(sentence)
    recipe = _with_take(recipe, footage.facts.length, frames, given)
    for name in _TAKEN:
        del given[name]
    known = screen_of(taken, recipe, survey_footage(_open(empty)) if empty else None)
    return KeyJob(footage, recipe, known)


@contextmanager
def _traced(key_job: KeyJob, cache: Path | None) -> Iterator[KeyJob]:
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


def _with_take(recipe: Recipe, length: int, frames: str | None, given: dict[str, Any]) -> Recipe:
    """A recipe with what the options say of its take."""
    chosen = {name: given[name] for name in _TAKEN if given[name] is not None}
    if frames is not None:
        first, _, last = frames.partition("-")
        if not (first.isdigit() and (last or first).isdigit()) or not int(first) <= int(last or first) < length:
            raise click.UsageError(f"--frames wants A-B within 0-{length - 1}.")
        chosen |= {"first": int(first), "last": int(last or first)}
    document = recipe.model_dump(mode="json")
    return read_recipe({**document, "take": document["take"] | chosen})


def _order(given: dict[str, Any], name: str, key_job: KeyJob) -> Order:
    """What the options of a delivery mean for a shot."""
    chosen = {key: value for key, value in given.items() if value is not None}
    ground = None
    if "ground" in chosen and not chosen["ground"].startswith("#"):
        ground = _open(chosen["ground"])
        chosen["ground"] = sha256_of(ground.files)
    if "alpha" not in chosen and FORMATS[name].alpha_kinds:
        chosen["alpha"] = FORMATS[name].alpha_kinds[0]
    delivery = settled(read_delivery({"format": name, **chosen}), key_job)
    planned = plan(delivery, key_job.footage.facts, key_job.recipe.take)
    if delivery.sound and planned.sound is None:
        click.echo(too_odd(key_job.recipe.take.speed), err=True)
    return Order(planned, ground)


@main.command()
@click.argument("file")
@_JSON
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
@_RECIPE
@_EMPTY
@click.option(
    "--cache",
    type=click.Path(file_okay=False, path_type=Path),
    help="Folder in which the mattes of traces are kept, also those of a run that is stopped.",
)
@click.option("--save-recipe", type=click.Path(path_type=Path), help="Write the recipe that was used.")
@click.option("--format", "name", type=click.Choice(sorted(FORMATS)), help="Format; by default from the suffix of OUT.")
@_FRAMES
@_take_options
@_delivery_options
@_JSON
def key_command(
    plate: str,
    out: Path,
    recipe_path: Path | None,
    empty: str | None,
    cache: Path | None,
    save_recipe: Path | None,
    name: str | None,
    frames: str | None,
    as_json: bool,
    **choices: Any,
) -> None:
    """Key PLATE into OUT: a file, or a folder for sequences and pairs. Nothing is overwritten."""
    form = FORMATS[name] if name else next((f for f in FORMATS.values() if f.suffix == out.suffix.lower()), None)
    if form is None:
        raise click.UsageError("Say which format with --format; `upholster formats` lists them.")
    if out.is_dir() and any(out.iterdir()):
        raise MediaError(f"{out} already holds files. Name an empty folder.")
    if out.is_file() or (out.is_dir() and form.suffix == form.delivered_suffix):
        raise MediaError(f"{out} exists already. Name a new file.")
    key_job = _key_job(_open(plate), recipe_path, empty, frames, choices, lambda s: click.echo(s, err=True))
    order = _order(choices, form.name, key_job)
    with _traced(key_job, cache) as traced, row_bands():
        proof = deliver(traced, order, out, threads=os.cpu_count() or 1)
    sidecar = out / "clip.json" if out.is_dir() else out.with_name(out.name + ".json")
    write_sidecar(
        sidecar,
        recipe=key_job.recipe,
        source_sha256=sha256_of(key_job.footage.files),
        delivery=order.planned.delivery,
        proof=proof,
    )
    if save_recipe:
        put_text(save_recipe, key_job.recipe.model_dump_json(indent=2) + "\n")
    click.echo(proof.model_dump_json(indent=2) if as_json else proof.in_words())
    if not proof.passed:
        raise MediaError(f"{out} did not pass its proof: {proof.reason}")


@main.command()
@click.argument("plate")
@click.argument("recipe", type=click.Path(path_type=Path))
@click.option("--to", "target", type=click.Path(path_type=Path), help="Write the masks: an .svg, or a folder.")
@click.option(
    "--as", "what", type=click.Choice(["svg", "matte"]), default="svg", help="What a folder holds, a frame each."
)
@click.option(
    "--from",
    "source",
    type=click.Path(path_type=Path),
    help="Add masks to RECIPE: the paths of an SVG, or mattes of the plate's size, as a clip or a folder of pictures.",
)
def masks(plate: str, recipe: Path, target: Path | None, what: str, source: Path | None) -> None:
    """Write the masks of a recipe for PLATE as SVG or grey mattes, or read some from either."""
    if (target is None) == (source is None):
        raise click.UsageError("Say --to or --from, and an SVG file or a folder.")
    facts, held = _open(plate).facts, _read_recipe(recipe)
    if target is not None:
        write = write_svg if target.suffix == ".svg" else write_svgs if what == "svg" else write_mattes
        write(target, held.masks, facts)
    elif source is not None:
        found = _masks_of(source, facts) if source.suffix == ".svg" else masks_from(_open(str(source)), facts)
        added = with_masks(held.masks, found)
        put_text(recipe, held.model_copy(update={"masks": added}).model_dump_json(indent=2) + "\n")


def _masks_of(path: Path, plate: Facts) -> list[Mask]:
    try:
        return from_svg(path.read_text(), float(plate.rate))
    except (OSError, ValueError) as error:
        raise RecipeError(f"{path} could not be read: {error}.") from None


@main.command()
@click.argument("file")
@click.option("--against", help="The plate FILE was keyed from.")
@_RECIPE
@_EMPTY
@_FRAMES
@click.option("--format", "name", type=click.Choice(sorted(FORMATS)), help="The format FILE was written in.")
@_take_options
@_delivery_options
@_JSON
def proof(
    file: str,
    against: str | None,
    recipe_path: Path | None,
    empty: str | None,
    frames: str | None,
    name: str | None,
    as_json: bool,
    **choices: Any,
) -> None:
    """Tell whether alpha is really in FILE, of which kind, and compare it with its plate where one is given."""
    if against is None:
        found = inspect(_open(file))
        click.echo(found.model_dump_json(indent=2) if as_json else found.in_words())
        for warning in () if as_json else found.warnings:
            click.echo(warning)
        if not found.alpha:
            raise MediaError(f"{file} carries no alpha, so its background is opaque. Deliver it again.")
        return
    key_job = _key_job(_open(against), recipe_path, empty, frames, choices, lambda s: None)
    order = _order(choices, name or _guess(file), key_job)
    result = prove_files(key_job, order, _files_of(file, order.planned))
    click.echo(result.model_dump_json(indent=2) if as_json else result.in_words())
    if not result.passed:
        raise MediaError(f"{file} did not pass: {result.reason}")


def _files_of(given: str, planned: Plan) -> list[Path]:
    return pair_files(Path(given), planned.form) if planned.form.content == "pair" else find_pictures(given)


def _guess(given: str) -> str:
    """The format a file was most likely written in, from its codec and depth."""
    facts = _open(given).facts
    codecs = {"vp9": "libvpx-vp9", "prores": "prores_ks", "h264": "libx264", "webp": "libwebp_anim", "openexr": "exr"}
    for form in FORMATS.values():
        fits = form.depth <= facts.depth <= max(form.depth, form.alpha_depth)
        if form.content == "keyed" and form.codec == codecs.get(facts.codec, facts.codec) and fits:
            return form.name
    raise click.UsageError("Say which format with --format.")


@main.command()
@_JSON
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
