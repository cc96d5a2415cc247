"""Traces."""

from typing import Literal

from pydantic import Field

from upholster.core.documents.settings import Settings


class Stroke(Settings):
    """One stroke of the brush."""

    frame: int = Field(ge=0)
    kind: Literal["keep", "drop", "soft"] = "keep"
    radius: float = 6.0
    points: tuple[tuple[float, float], ...] = Field(min_length=1)
    radii: tuple[float, ...] = ()
