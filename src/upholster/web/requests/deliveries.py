"""Requests for files: of a shot, of many, of a clip."""

from typing import Any

from pydantic import Field

from upholster.web.requests.body import Asked, Hex, Id, Word
from upholster.web.requests.recipes import OfRecipe, Sequenced


class RenderAsked(Asked):
    revision: Id
    deliveries: list[Any] = Field(max_length=40)
    name: Word = ""


class Quote(Sequenced):
    deliveries: list[Any] = Field(min_length=1, max_length=40)


class Flat(OfRecipe):
    colour: Hex | None = None


class PresetKept(Asked):
    name: Word
    delivery: Any


class Batch(Asked):
    shots: list[Id] = Field(max_length=1000)
    preset: Id | None = None
    delivery: Any = None


class MadeAgain(Asked):
    """A clip in another format: a preset, or a delivery."""

    preset: Id | None = None
    delivery: Any = None
