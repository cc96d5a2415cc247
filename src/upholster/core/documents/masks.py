"""Masks: drawn shapes of a recipe, what each does, and how it joins those before it."""

from dataclasses import dataclass
from hashlib import blake2b
from typing import Any, ClassVar, Literal, get_args

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from upholster.core.documents.ordered import Ordered
from upholster.core.documents.settings import Settings
from upholster.core.documents.tracks import Track, track, value_at
from upholster.core.masks.course import Course

Does = Literal["discard_outside", "discard_inside", "keep_inside", "limit"]
Joins = Literal["add", "take_away", "common", "either"]
#: The stages that can be limited to a part of the picture.
Line = Literal[
    "qualifier",
    "see_through",
    "joined",
    "edge_smoothing",
    "levels",
    "fill_holes",
    "tracking_marks",
    "specks",
    "recover",
    "choke",
    "edge_colour",
    "balance",
    "grade",
    "match",
    "tint",
    "sharpen",
    "grain",
]
LINES: tuple[str, ...] = get_args(Line)


class Part(Settings):
    """A part of the picture: what it is called, what it does, and how it joins others."""

    name: str = Field(default="Part", min_length=1, max_length=80, description="What it is called.")
    does: Does = Field(
        default="discard_outside",
        description="Discard what lies outside or inside, keep what lies inside, or limit a line to it.",
    )
    line: Line = Field(default="levels", description="The stage that is limited to it, where it limits one.")
    joins: Joins = Field(
        default="add",
        description="How it joins those before it that do the same: added, taken away, common part, or either but "
        "not both.",
    )
    on: bool = Field(default=True, description="Whether it does anything.")


class Mask(Part):
    """A drawn shape, and what it does."""

    name: str = Field(default="Mask", min_length=1, max_length=80, description="What it is called.")
    feather: Track = track(0.0, 0.0, 500.0, step=0.5, unit="px", doc="How far its edge is soft, inward and outward.")
    spread: Track = track(0.0, -500.0, 500.0, step=0.5, unit="px", doc="How far it reaches out beyond its outline.")
    opacity: Track = track(1.0, 0.0, 1.0, step=0.01, doc="How much of what it does is done.")
    locked: bool = Field(default=False, description="Whether its shape is left alone by the pointer.")
    course: Course = Field(description="Its shape over time.")


@dataclass(frozen=True, eq=False)
class Drawn:
    """A mask as it is on one frame.

    Attributes
    ----------
    points : (points, 8) float64
        As `Course.at` gives them.
    """

    does: Does
    line: Line
    joins: Joins
    feather: float
    spread: float
    opacity: float
    points: NDArray[np.float64]

    def __repr__(self) -> str:
        """What a result depends on, in full: the digest of a stage is made of it."""
        told = self.does, self.line, self.joins, self.feather, self.spread, self.opacity
        return repr((*told, blake2b(self.points.tobytes(), digest_size=16).hexdigest()))


class Masks(Ordered[Mask]):
    """Shapes drawn on the picture, in the order in which they join."""

    called: ClassVar[str] = "masks"

    def at(self, frame: int, fields: type[Settings] | None = None) -> dict[str, Any]:
        """The masks that do anything on a frame."""
        drawn = []
        for mask in self.in_order:
            opacity = value_at(mask.opacity, frame)
            if mask.on and mask.course.covers and opacity > 0:
                soft, spread = value_at(mask.feather, frame), value_at(mask.spread, frame)
                points = mask.course.at(frame)
                drawn.append(Drawn(mask.does, mask.line, mask.joins, soft, spread, opacity, points))
        return {"drawn": tuple(drawn)}
