"""The heart: a plate, a recipe and a frame number in; straight RGBA out."""

from collections.abc import Callable, Hashable
from typing import NamedTuple, TypeVar

import numpy as np
from numpy.typing import NDArray

from upholster.core.grids import lay
from upholster.core.recipe import Recipe
from upholster.core.screen.clean_plate import ScreenKnowledge
from upholster.core.stages.edge import edge
from upholster.core.stages.edge_colour import edge_colour
from upholster.core.stages.holes import close_holes
from upholster.core.stages.levels import levels
from upholster.core.stages.pull import pull, subject_colours

Plane = NDArray[np.float32]
T = TypeVar("T")

#: No encoded picture goes beyond this; a file that does is broken.
_SANE = 16.0

#: Keeps what a stage computed: called with the settings of that stage and all before it.
Memo = Callable[[Hashable, Callable[[], T]], T]


class Keyed(NamedTuple):
    """Straight colour ``(3, h, w)``, coverage ``(h, w)``, and the coverage as pulled."""

    rgb: Plane
    alpha: Plane
    pulled: Plane


def _forget(key: Hashable, compute: Callable[[], T]) -> T:
    return compute()


def key(
    plate: Plane,
    recipe: Recipe,
    frame: int,
    known: ScreenKnowledge | None,
    *,
    scale: float = 1.0,
    carried: Plane | None = None,
    memo: Memo = _forget,
) -> Keyed:
    """Key one frame.

    Parameters
    ----------
    plate : (3, h, w) float32
        Encoded RGB. Not-a-number is taken as black, and absurdly large values are clipped.
    known : ScreenKnowledge or None
        What `measure_screen` found for this shot and ``recipe.screen``.
    scale : float
        Size of this picture against the plate the recipe's pixels are counted in.
    carried : (h, w) float32 or None
        Alpha the footage brings itself; the matte can only take away from it.
    memo
        Where results are kept between calls for the same picture.
    """
    screen, matte, shape, colour = recipe.screen, recipe.matte, recipe.edge, recipe.edge_colour
    if screen.paused or screen.kind == "none" or known is None:
        solid = np.ones(plate.shape[1:], np.float32) if carried is None else carried
        return Keyed(plate, solid, solid)
    if not (plate.min() >= -_SANE and plate.max() <= _SANE):
        plate = np.nan_to_num(plate, nan=0.0, posinf=_SANE, neginf=-_SANE).clip(-_SANE, _SANE)
    glow = screen.kind in ("dark", "light")
    base: tuple[Hashable, ...] = ("screen", screen)
    size = plate.shape[2], plate.shape[1]
    ground = memo((*base, "ground"), lambda: lay(known.plate, *size))
    subject = memo((*base, "subject"), lambda: lay(subject_colours(plate, screen.kind, known), *size))
    pulled = memo(base, lambda: pull(plate, screen.kind, ground, subject))

    chosen = {"clear": 0.0, "solid": 1.0, "close": 0.0, "opacity": 0.0} if matte.paused else matte.at(frame)
    # Thin glow has no holes to close, and what is solid before a screen has no veil to thicken.
    chosen["close" if glow else "opacity"] = 0.0
    base = (*base, *chosen.values())
    close = chosen.pop("close") * scale
    cover = memo(base, lambda: close_holes(levels(pulled, **chosen), size=close))

    moves = {"shift": 0.0, "soften": 0.0} if shape.paused else shape.at(frame)
    alpha = memo(
        (*base, "edge", *moves.values()),
        lambda: edge(cover, shift=moves["shift"] * scale, soften=moves["soften"] * scale),
    )

    if carried is not None:
        alpha = alpha * carried
    if colour.paused:
        return Keyed(plate, alpha, pulled)
    tint = colour.at(frame)
    rgb = memo(
        (*base, "colour", *tint.values(), colour.keep_luma),
        lambda: edge_colour(
            plate, cover, screen.kind, ground, subject, known.primary, keep_luma=colour.keep_luma, **tint
        ),
    )
    return Keyed(rgb, alpha, pulled)
