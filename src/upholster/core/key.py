"""The heart: a plate, a recipe and a frame number in; straight RGBA out."""

from collections.abc import Callable, Hashable, Sequence
from typing import NamedTuple, TypeVar

import numpy as np
from numpy.typing import NDArray

from upholster.core.grids import lay
from upholster.core.recipe import Recipe, Screen
from upholster.core.screen.clean_plate import ScreenKnowledge
from upholster.core.stages.along import smooth_along
from upholster.core.stages.edge import edge
from upholster.core.stages.edge_colour import edge_colour
from upholster.core.stages.holes import close_holes
from upholster.core.stages.levels import levels
from upholster.core.stages.narrow import narrow
from upholster.core.stages.pull import least_coverage, pull, subject_cells, subject_colours
from upholster.core.stages.recover import recover
from upholster.core.stages.region import keep_unjoined
from upholster.core.stages.specks import remove_specks
from upholster.core.stages.steady import steady

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


#: What a paused matte does to the coverage.
NOTHING = {
    "steady": 0.0, "along": 0.0, "see_through": 0.0, "clear": 0.0, "solid": 1.0, "close": 0.0, "specks": 0.0,
    "opacity": 0.0,
}  # fmt: skip


def wants_around(recipe: Recipe, frame: int) -> bool:
    """Whether keying a frame looks at its neighbours."""
    return not recipe.matte.paused and recipe.matte.at(frame)["steady"] > 0


def mean_colour(screen: Screen) -> tuple[float, float, float]:
    r, g, b = np.mean(screen.colours, axis=0)
    return float(r), float(g), float(b)


def _sane(plate: Plane) -> tuple[Plane, Plane]:
    """The plate without values no encoded picture has, and its `subject_cells`.

    A value beyond reason carries its cell's mean away, so looking at the cells is enough.
    """
    cells = subject_cells(plate)
    if cells.min() >= -_SANE and cells.max() <= _SANE:
        return plate, cells
    plate = np.nan_to_num(plate, nan=0.0, posinf=_SANE, neginf=-_SANE).clip(-_SANE, _SANE)
    return plate, subject_cells(plate)


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
    around: Callable[[], Sequence[Plane]] = tuple,
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
    around
        Gives the plates before and after, as far as there are any; called only where `wants_around`.
    memo
        Where results are kept between calls for the same picture.
    """
    screen, shape, colour = recipe.screen, recipe.edge, recipe.edge_colour
    if screen.paused or screen.kind == "none" or known is None:
        solid = np.ones(plate.shape[1:], np.float32) if carried is None else carried
        return Keyed(plate, solid, solid)
    chosen = dict(NOTHING) if recipe.matte.paused else recipe.matte.at(frame)
    glow = screen.kind in ("dark", "light")
    # Thin glow has no holes to close and no edge with a course; what is solid has no veil to thicken.
    chosen |= {"close": 0.0, "see_through": 0.0, "along": 0.0} if glow else {"opacity": 0.0}

    base: tuple[Hashable, ...] = ("screen", screen, chosen["steady"])
    plate, cells = memo("sane", lambda: _sane(plate))
    if chosen["steady"] > 0:
        noise, amount = known.noise, chosen["steady"]
        others = lambda: [_sane(p)[0] for p in around()]  # noqa: E731
        plate = memo((*base, "steady"), lambda: steady(plate, others(), noise=noise, amount=amount))
        cells = subject_cells(plate)
    size = plate.shape[2], plate.shape[1]
    ground = memo((*base, "ground"), lambda: lay(known.plate, *size))
    subject = memo((*base, "subject"), lambda: lay(subject_colours(cells, screen.kind, known), *size))
    pulled = memo(base, lambda: pull(plate, screen.kind, ground, subject))
    if chosen["along"] > 0:
        base, rough = (*base, chosen["along"]), pulled
        pulled = memo(base, lambda: smooth_along(rough, amount=chosen["along"]))

    def covered() -> Plane:
        kept = narrow(pulled, plate, mean_colour(screen), **recipe.narrow.at(frame))
        if chosen["see_through"] > 0:
            kept = kept + np.minimum(least_coverage(plate, ground) - kept, 0) * np.float32(chosen["see_through"])
        if recipe.region.joined:
            places = [(s.x * scale, s.y * scale, s.radius * scale) for s in screen.samples]
            kept = keep_unjoined(kept, places, scale=scale, **recipe.region.at(frame))
        cover = levels(kept, clear=chosen["clear"], solid=chosen["solid"], opacity=chosen["opacity"])
        return remove_specks(close_holes(cover, size=chosen["close"] * scale), size=chosen["specks"] * scale)

    base = (*base, *recipe.narrow.at(frame).values(), recipe.region, frame if recipe.region.joined else 0)
    base = (*base, *chosen.values())
    cover = memo(base, covered)

    moves = {"recover": 0.0, "shift": 0.0, "soften": 0.0} if shape.paused else shape.at(frame)
    base = (*base, moves["recover"])
    detailed = cover
    if moves["recover"] > 0:
        detailed = memo((*base, "recover"), lambda: recover(cover, pulled, amount=moves["recover"], scale=scale))
    alpha = memo(
        (*base, "edge", *moves.values()),
        lambda: edge(detailed, shift=moves["shift"] * scale, soften=moves["soften"] * scale),
    )

    if carried is not None:
        alpha = alpha * carried
    if colour.paused:
        return Keyed(plate, alpha, pulled)
    tint = colour.at(frame)
    rgb = memo(
        (*base, "colour", *tint.values(), colour.keep_luma, colour.keep_own),
        lambda: edge_colour(
            plate,
            detailed,
            screen.kind,
            ground,
            subject,
            known.primary,
            keep_luma=colour.keep_luma,
            keep_own=colour.keep_own,
            **tint,
        ),
    )
    return Keyed(rgb, alpha, pulled)
