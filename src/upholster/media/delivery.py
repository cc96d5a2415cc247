"""A delivery: every choice made for one file that is handed over, apart from the recipe."""

from collections.abc import Callable
from typing import Annotated, Final, Literal, NamedTuple

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field, ValidationError

from upholster.core.composite.over import over
from upholster.core.delivery import one_bit as edges
from upholster.core.delivery.extended import extended
from upholster.core.delivery.sharpen import sharpen
from upholster.core.delivery.sizing import resized, within
from upholster.core.documents.recipe import Take
from upholster.core.documents.versions import Document, Migrations, VersionError, up_to_date
from upholster.core.raster import Raster
from upholster.core.timecode import shifted
from upholster.core.timemap import TimeMap, time_map
from upholster.media.errors import MediaError
from upholster.media.facts import AlphaKind, Facts, Rate
from upholster.media.formats import FORMATS, Format
from upholster.media.sound import FASTEST, SLOWEST, SoundWanted, sound_wanted

Plane = NDArray[np.float32]
Hex = Annotated[str, Field(pattern="^#[0-9a-fA-F]{6}$")]

#: Gives the ground behind a delivered frame: its number, width and height.
Ground = Callable[[int, int, int], Plane]


VERSION: Final = 2


def without_speed(document: Document) -> Document:
    """Version 1 to 2: speed and frames in between belong to the take of the shot."""
    return {name: value for name, value in document.items() if name not in ("speed", "missing")} | {"version": 2}


#: For each older version, what turns its document into one of the next version.
MIGRATIONS: Migrations = {1: without_speed}


class Delivery(BaseModel):
    """What is wanted of a file. Choices that mean nothing to its format are left alone."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    version: Literal[2] = VERSION
    format: str = Field(description="Name of the format.")
    alpha: AlphaKind = Field(default="straight", description="Kind of alpha.")
    size: int | None = Field(default=None, ge=16, le=8192, description="Longer side in pixels; null as the plate.")
    rate: Rate | None = Field(default=None, description="Frames a second; null as the plate.")
    sound: bool = Field(default=False, description="Take the sound of the source along.")
    first_number: int | None = Field(default=None, ge=0, le=9_999_999, description="Number of the first picture.")
    padding: int = Field(default=6, ge=1, le=9, description="Digits of the pictures' numbers.")
    loop: int = Field(default=0, ge=0, le=1000, description="How often it plays; 0 for ever.")
    edge: edges.Edge = Field(default="threshold", description="One-bit edges: cut hard or dithered.")
    cut: float = Field(default=0.5, gt=0, lt=1, description="Coverage from which a pixel is there.")
    blend_with: Hex = Field(default="#ffffff", description="Colour half-covered pixels are blended with.")
    palette: int = Field(default=256, ge=4, le=256, description="Colours, transparency included.")
    colour: Hex | None = Field(default=None, description="Flat colour; null for one the subject does not contain.")
    sharpen: float = Field(default=0.0, ge=0, le=1, description="Slight sharpening.")
    metres: float = Field(default=1.0, ge=0.001, le=1000, description="How wide a card for 3D is, in metres.")
    still: int = Field(default=0, ge=0, le=9_999_999, description="Frame that a card's .glb shows, from 0.")
    atlas: bool = Field(default=False, description="A card's .glb shows a sheet of all frames instead of one.")
    bitrate: int | None = Field(default=None, ge=50, le=200_000, description="Most kilobits a second; null for any.")
    ground: str = Field(
        default="#808080", pattern="^(#[0-9a-fA-F]{6}|[0-9a-f]{64})$", description="Colour, or SHA-256 of footage."
    )

    @property
    def form(self) -> Format:
        return FORMATS[self.format]


def read_delivery(document: object) -> Delivery:
    """A delivery from parsed JSON.

    Raises
    ------
    MediaError
        With one sentence that names the choice and what is wrong with it.
    """
    try:
        if isinstance(document, dict):
            document = up_to_date(document, VERSION, MIGRATIONS, "delivery")
        delivery = Delivery.model_validate(document)
    except VersionError as error:
        raise MediaError(str(error)) from None
    except ValidationError as error:
        first = error.errors()[0]
        name = ".".join(str(part) for part in first["loc"]) or "the delivery"
        what = first["msg"].lower().removeprefix("value error, ")
        raise MediaError(f"“{name.replace('_', ' ')}” cannot be used: {what}.") from None
    if delivery.format not in FORMATS:
        raise MediaError("Choose one of the formats offered.")
    return delivery


class Plan(NamedTuple):
    """A delivery settled for one take: its size, its frames in time, its first number and timecode, and its sound."""

    delivery: Delivery
    width: int
    height: int
    timing: TimeMap
    first: int
    sound: SoundWanted | None
    timecode: str = ""

    @property
    def form(self) -> Format:
        return self.delivery.form


def plan(delivery: Delivery, facts: Facts, take: Take) -> Plan:
    """Settle a delivery of a take.

    Raises
    ------
    MediaError
        Where choices do not go together; says which and why.
    """
    form = delivery.form
    if form.alpha_kinds and delivery.alpha not in form.alpha_kinds:
        raise MediaError(f"{form.title} cannot hold {delivery.alpha} alpha. Choose {form.alpha_kinds[0]}.")
    if reason := no_sound(form, facts) if delivery.sound else "":
        raise MediaError(reason)
    rate = delivery.rate or facts.rate
    if rate > form.most_rate:
        raise MediaError(f"{form.title} holds at most {form.most_rate} frames a second. Choose a lower rate.")
    result = take.result(Raster.of_plate(facts.width, facts.height))
    width, height = within(*result.size, delivery.size, 2 if form.even else 1)
    if (limit := _LARGEST.get(form.container)) and max(width, height) > limit:
        raise MediaError(f"{form.title} holds at most {limit} pixels a side. Choose a smaller size.")
    if form.codec == "cfhd" and (width % 16 or width < 32 or height < 32):
        raise MediaError(
            f"{form.title} takes only widths that are a multiple of 16 and pictures of at least 32 pixels; this one is "
            f"{width}x{height}. Choose a longer side that gives such a width, or another format."
        )
    times = time_map(take, facts.length, facts.rate, rate)
    first = facts.first_number + times.span.start if delivery.first_number is None else delivery.first_number
    heard = delivery.sound and not too_odd(take.speed)
    sound = sound_wanted(times, facts.rate, facts.length, form.container) if heard else None
    return Plan(delivery, width, height, times, first, sound, _timecode(facts, times))


def _timecode(facts: Facts, times: TimeMap) -> str:
    """The timecode of the first frame delivered; empty where frames do not follow each other as they were shot."""
    as_shot = times.step == 1 and times.rate == facts.rate and not times.backwards
    return shifted(facts.timecode, facts.rate, times.span.start - times.before) if as_shot else ""


#: Longest side by container, where its format sets one: WebP's canvas (RFC 9649, section 2.5), GIF89a (section 18).
_LARGEST = {"webp": 16383, "gif": 65535}


def no_sound(form: Format, facts: Facts) -> str:
    """Why the source's sound cannot go along; empty where it can."""
    if "sound" not in form.takes:
        return f"{form.title} is delivered without sound."
    if not facts.sound:
        return "The source has no sound."
    return ""


def too_odd(speed: float) -> str:
    """Why sound is left out at a speed; empty where it goes along."""
    if SLOWEST <= speed <= FASTEST:
        return ""
    return f"Sound keeps its pitch only between {SLOWEST} % and {FASTEST} % of its speed; it is left out."


class Picture(NamedTuple):
    """What is written for one frame: colour, alpha, and the subject's true coverage."""

    rgb: Plane
    alpha: Plane
    cover: Plane


def prepare(rgb: Plane, alpha: Plane, planned: Plan, number: int, ground: Ground | None) -> Picture:
    """Straight keyed frame to what the delivery wants to see in the file."""
    delivery, form = planned.delivery, planned.form
    rgb, alpha = resized(rgb, alpha, planned.width, planned.height)
    match form.content:
        case "matte":
            return Picture(np.stack([alpha] * 3), np.ones_like(alpha), alpha)
        case "flat":
            flat = over(rgb, alpha, hex_colour(delivery.colour or "#000000"))
            return Picture(sharpen(flat, delivery.sharpen), np.ones_like(alpha), alpha)
        case "over":
            behind = ground(number, planned.width, planned.height) if ground else hex_colour(delivery.ground)
            return Picture(over(rgb, alpha, behind), np.ones_like(alpha), alpha)
        case "pair":
            return Picture(rgb, alpha, alpha)
    if form.card:
        return Picture(extended(rgb, alpha), alpha, alpha)
    if form.alpha_depth == 1:
        blend = hex_colour(delivery.blend_with)
        rgb, kept = edges.one_bit(rgb, alpha, edge=delivery.edge, cut=delivery.cut, blend=blend)
        return Picture(rgb, kept, alpha)
    return Picture(rgb, alpha, alpha)


def hex_colour(given: str) -> Plane:
    """``#rrggbb`` as a colour of shape (3, 1, 1)."""
    codes = bytes.fromhex(given[1:])
    return (np.frombuffer(codes, np.uint8).astype(np.float32) / np.float32(255)).reshape(3, 1, 1)


def as_hex(colour: tuple[float, float, float]) -> str:
    return "#" + "".join(f"{round(c * 255):02x}" for c in colour)
