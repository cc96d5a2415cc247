"""Options that several commands share, and what they mean."""

from collections.abc import Callable
from pathlib import Path
from typing import Any

import click

from upholster.cli.plates import open_footage
from upholster.core.documents.recipe import Recipe, Take, read_recipe
from upholster.media.delivery import Delivery, plan, read_delivery, too_odd
from upholster.media.errors import MediaError
from upholster.media.formats import FORMATS, Format
from upholster.media.ready import READY, ready
from upholster.studio.making.flat import settled
from upholster.studio.making.keying import Job
from upholster.studio.making.orders import Order
from upholster.studio.making.sidecar import sha256_of

JSON = click.option("--json", "as_json", is_flag=True, help="Print everything as JSON.")
RECIPE = click.option(
    "--recipe", "recipe_path", type=click.Path(path_type=Path), help="Recipe to use instead of the first look's."
)
ALPHA = click.option(
    "--plate-alpha",
    type=click.Choice(["straight", "premultiplied", "none"]),
    help="How alpha that the plate brings along is taken; by default as it looks.",
)
RATE = click.option(
    "--plate-rate", help="Frames a second of numbered pictures, which say none themselves; by default 24."
)
FIELDS = click.option("--deinterlace", is_flag=True, help="Bring the fields of an interlaced plate to one moment.")
COLOUR = click.option(
    "--plate-colour",
    help="How the plate's colour is stored, where its file is wrong or silent: bt601, bt709 or bt2020, limited or full "
    "range, chroma on a column (left) or between two (center); any of these, with commas between.",
)
EMPTY = click.option("--empty", help="Footage of the empty set, taken as the clean plate.")
FRAMES = click.option("--frames", "--range", "frames", help="First and last frame of the plate, as A-B.")


READY_VALUES = click.option(
    "--ready", "pressed", type=click.Choice([each.name for each in READY]), help="Values that are ready for a need."
)


def with_ready(pressed: str | None, name: str | None, given: dict[str, Any]) -> str | None:
    """The format, and in `given` the choices, of values that are ready; what was chosen by hand goes before them."""
    if pressed is None:
        return name
    delivery = ready(pressed)
    for field in Delivery.model_fields:
        value = getattr(delivery, field)
        if field in given and given[field] is None and value != Delivery.model_fields[field].default:
            given[field] = value
    return name or delivery.format


def delivery_options(command: Callable[..., None]) -> Callable[..., None]:
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
TAKEN = [name for name in Take.model_fields if name not in ("first", "last")]


def take_options(command: Callable[..., None]) -> Callable[..., None]:
    """An option for every choice of a take but its range; each goes before the recipe's own."""
    for name in reversed(TAKEN):
        field = Take.model_fields[name]
        flag = "--" + name.replace("_", "-")
        if field.annotation is bool:
            command = click.option(f"{flag}/--no-{flag[2:]}", name, default=None, help=field.description)(command)
        else:
            command = click.option(flag, name, help=field.description)(command)
    return command


def with_take(recipe: Recipe, length: int, frames: str | None, given: dict[str, Any]) -> Recipe:
    """A recipe with what the options say of its take."""
    chosen = {name: given[name] for name in TAKEN if given[name] is not None}
    if frames is not None:
        first, _, last = frames.partition("-")
        if not (first.isdigit() and (last or first).isdigit()) or not int(first) <= int(last or first) < length:
            raise click.UsageError(f"--frames wants A-B within 0-{length - 1}.")
        chosen |= {"first": int(first), "last": int(last or first)}
    document = recipe.model_dump(mode="json")
    return read_recipe({**document, "take": document["take"] | chosen})


#: Choices of a delivery that mean something to every format, or are refused by a sentence of their own.
_ALWAYS = ("size", "rate", "alpha", "sound")


def look_at_choices(given: dict[str, Any], form: Format) -> None:
    """Refuse choices of a delivery that mean nothing to its format, or cannot be.

    Raises
    ------
    click.UsageError
    """
    chosen = {name: given[name] for name in Delivery.model_fields if given.get(name) is not None}
    for name in chosen:
        if name not in (*_ALWAYS, *form.takes):
            raise click.UsageError(f"--{name.replace('_', '-')} means nothing to {form.title}; leave it out.")
    # A ground may be a file here, which is looked for later.
    chosen.pop("ground", None)
    try:
        read_delivery({"format": form.name, **chosen})
    except MediaError as error:
        raise click.UsageError(str(error)) from None


def order_of(given: dict[str, Any], name: str, job: Job) -> Order:
    """What the options of a delivery mean for a shot."""
    chosen = {key: value for key, value in given.items() if value is not None}
    ground = None
    if "ground" in chosen and not chosen["ground"].startswith("#"):
        ground = open_footage(chosen["ground"])
        chosen["ground"] = sha256_of(ground.files)
    if "alpha" not in chosen and FORMATS[name].alpha_kinds:
        chosen["alpha"] = FORMATS[name].alpha_kinds[0]
    delivery = settled(read_delivery({"format": name, **chosen}), job)
    planned = plan(delivery, job.footage.facts, job.recipe.take)
    if delivery.sound and planned.sound is None:
        click.echo(too_odd(job.recipe.take.speed), err=True)
    return Order(planned, ground)
