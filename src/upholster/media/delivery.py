"""A delivery: every choice made for one file that is handed over, apart from the recipe."""

from collections.abc import Callable
from fractions import Fraction
from typing import Annotated, Literal, NamedTuple

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field, ValidationError

from upholster.core.composite import over
from upholster.core.delivery import one_bit as edges
from upholster.core.delivery.sharpen import sharpen
from upholster.core.delivery.sizing import resized, within
from upholster.core.delivery.timing import Timing, timing
from upholster.media.errors import MediaError
from upholster.media.facts import AlphaKind, Facts, Rate
from upholster.media.formats import FORMATS, Format

Plane = NDArray[np.float32]
Hex = Annotated[str, Field(pattern="^#[0-9a-fA-F]{6}$")]

#: Gives the ground behind a delivered frame: its number, width and height.
Ground = Callable[[int, int, int], Plane]


class Delivery(BaseModel):
    """What is wanted of a file. Choices that mean nothing to its format are left alone."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    format: str = Field(description="Name of the format.")
    alpha: AlphaKind = Field(default="straight", description="Kind of alpha.")
    size: int | None = Field(default=None, ge=16, le=8192, description="Longer side in pixels; null as the plate.")
    rate: Rate | None = Field(default=None, description="Frames a second; null as the plate.")
    speed: int = Field(default=100, ge=5, le=2000, description="Speed in percent of the plate's.")
    missing: Literal["repeat", "blend"] = Field(default="repeat", description="How frames in between are made.")
    sound: bool = Field(default=False, description="Pass the sound of the source through.")
    first_number: int | None = Field(default=None, ge=0, le=9_999_999, description="Number of the first picture.")
    padding: int = Field(default=6, ge=1, le=9, description="Digits of the pictures' numbers.")
    loop: int = Field(default=0, ge=0, le=1000, description="How often it plays; 0 for ever.")
    edge: edges.Edge = Field(default="threshold", description="One-bit edges: cut hard or dithered.")
    cut: float = Field(default=0.5, gt=0, lt=1, description="Coverage from which a pixel is there.")
    blend_with: Hex = Field(default="#ffffff", description="Colour half-covered pixels are blended with.")
    palette: int = Field(default=256, ge=4, le=256, description="Colours, transparency included.")
    colour: Hex | None = Field(default=None, description="Flat colour; null for one the subject does not contain.")
    sharpen: float = Field(default=0.0, ge=0, le=1, description="Slight sharpening.")
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
        delivery = Delivery.model_validate(document)
    except ValidationError as error:
        first = error.errors()[0]
        name = ".".join(str(part) for part in first["loc"]) or "the delivery"
        raise MediaError(f"“{name.replace('_', ' ')}” cannot be used: {first['msg'].lower()}.") from None
    if delivery.format not in FORMATS:
        raise MediaError("Choose one of the formats offered.")
    return delivery


class Plan(NamedTuple):
    """A delivery settled for one take: its size, its timing, and the number of its first picture."""

    delivery: Delivery
    width: int
    height: int
    timing: Timing
    first: int

    @property
    def form(self) -> Format:
        return self.delivery.form


def plan(delivery: Delivery, facts: Facts, take: range) -> Plan:
    """Settle a delivery of the frames `take`.

    Raises
    ------
    MediaError
        Where choices do not go together; says which and why.
    """
    form = delivery.form
    if form.alpha_kinds and delivery.alpha not in form.alpha_kinds:
        raise MediaError(f"{form.title} cannot hold {delivery.alpha} alpha. Choose {form.alpha_kinds[0]}.")
    if reason := no_sound(form, facts, delivery.speed, delivery.rate) if delivery.sound else "":
        raise MediaError(reason)
    rate = delivery.rate or facts.rate
    if rate > form.most_rate:
        raise MediaError(f"{form.title} holds at most {form.most_rate} frames a second. Choose a lower rate.")
    width, height = within(facts.width, facts.height, delivery.size, 2 if form.even else 1)
    if (limit := _LARGEST.get(form.container)) and max(width, height) > limit:
        raise MediaError(f"{form.title} holds at most {limit} pixels a side. Choose a smaller size.")
    if form.codec == "cfhd" and (width % 16 or width < 32 or height < 32):
        raise MediaError(
            f"{form.title} takes only widths that are a multiple of 16 and pictures of at least 32 pixels; this one is "
            f"{width}x{height}. Choose a longer side that gives such a width, or another format."
        )
    spread = timing(len(take), facts.rate, rate, Fraction(delivery.speed, 100), delivery.missing == "blend")
    first = take.start if delivery.first_number is None else delivery.first_number
    return Plan(delivery, width, height, spread, first)


#: Longest side by container, where its format sets one: WebP's canvas (RFC 9649, section 2.5), GIF89a (section 18).
_LARGEST = {"webp": 16383, "gif": 65535}
#: Sound each container can take over unchanged; None for any.
_SOUND: dict[str, set[str] | None] = {"mov": None, "mp4": {"aac", "mp3", "ac3", "alac"}, "matroska": None,
                                      "webm": {"opus", "vorbis"}}  # fmt: skip


def no_sound(form: Format, facts: Facts, speed: int, rate: Fraction | None) -> str:
    """Why the source's sound cannot go along; empty where it can."""
    if "sound" not in form.takes:
        return f"{form.title} is delivered without sound."
    if not facts.sound:
        return "The source has no sound."
    held = _SOUND[form.container]
    if held is not None and facts.sound not in held:
        return f"The source's sound is {facts.sound}, which {form.suffix.strip('.').upper()} files do not hold."
    if speed != 100:
        return "Sound can go along only at the plate's own speed."
    return ""


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
