"""Requests about masks."""

from typing import Annotated, Literal

from pydantic import Field

from upholster.web.requests.body import Asked, Word
from upholster.web.requests.recipes import OfFrame, OfRecipe


class Follow(OfFrame):
    """A mask to carry on from a frame."""

    mask: Word
    way: Literal[1, -1]
    motion: Literal["translation", "similarity", "affine", "perspective", "points"] = "similarity"


class Thin(OfRecipe):
    mask: Word
    tolerance: float = Field(ge=0, le=100)


class SvgSent(Asked):
    svg: Annotated[str, Field(max_length=8 << 20)]


class OfMattes(Asked):
    """Footage that is a matte."""

    footage: Word
