"""What a stage of the key is, what it is given, and what it gives."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from upholster.core.documents.screen import Screen
from upholster.core.documents.settings import Settings
from upholster.core.documents.traces import Trace
from upholster.core.grids import UpsampledGrid
from upholster.core.raster import Raster
from upholster.core.screen.clean_plate import ScreenKnowledge

Plane = NDArray[np.float32]

#: What stands where a stage has not been yet.
_NOTHING = np.zeros((3, 1, 1), np.float32)
_NO_GRID = UpsampledGrid(_NOTHING, np.zeros(1, np.uint32), np.zeros(1, np.float32))


class Picture(NamedTuple):
    """A picture on its way through the stages; each replaces what it changes.

    Attributes
    ----------
    raster : Raster
        Where it lies on its plate.
    rgb : (3, h, w) float32
        Encoded RGB: the plate, and in the end the subject's straight colour. Values above 1 are highlights.
    alpha : (h, w) float32
        Coverage 0..1 as it is delivered.
    source_alpha : (h, w) float32 or None
        Alpha the footage brings itself.
    raw_matte : (h, w) float32
        Coverage as first estimated.
    cover : (h, w) float32
        Coverage as it was in front of the camera: before the edge is moved or softened.
    held : (h, w) float32
        Where masks keep what lies inside them, 0..1: its colours stay as well.
    traced : (h, w) float32
        Coverage by traces where they stand alone, without a screen: its soft edge is to be taken out of the ground.
    cells : (3, rows, columns) float32
        The plate averaged down to the grid on which the subject's colours are gathered.
    screen_cells : (3, rows, columns) float32
        The clean plate over this picture, as a coarse grid.
    screen, subject : UpsampledGrid
        The clean plate and the subject's colours, for every pixel.
    """

    raster: Raster
    rgb: Plane = _NOTHING
    alpha: Plane = _NOTHING[0]
    source_alpha: Plane | None = None
    raw_matte: Plane = _NOTHING[0]
    cover: Plane = _NOTHING[0]
    held: Plane = _NOTHING[0]
    traced: Plane = _NOTHING[0]
    cells: Plane = _NOTHING
    screen_cells: Plane = _NOTHING
    screen: UpsampledGrid = _NO_GRID
    subject: UpsampledGrid = _NO_GRID


#: The fields of a `Picture` that a stage replaces.
Changes = dict[str, Any]


def covered(cover: Plane, *, raw: bool = False) -> Changes:
    """What changes where a stage gives another coverage: the delivered one follows until an edge is moved."""
    return {"cover": cover, "alpha": cover} | ({"raw_matte": cover} if raw else {})


class Context(NamedTuple):
    """What holds of a whole shot while a frame of it is keyed.

    Attributes
    ----------
    screen : Screen
    known : ScreenKnowledge or None
        What was measured of the screen; None where there is nothing to take out.
    brings_alpha : bool
        Whether the footage has an alpha of its own.
    floating : bool
        Whether its values are floats, which go beyond 0..1; whole numbers mean nothing there.
    neighbours : callable
        ``neighbours(reach)``: the frames up to so many before and after, as they are before the stage that asks.
    traced : callable
        ``traced(trace, frame)``: the matte of a trace on a frame, of the whole plate at the size it was made in,
        ``(h, w)`` float32 0..1; None where there is none (yet).
    """

    screen: Screen
    known: ScreenKnowledge | None
    brings_alpha: bool = False
    floating: bool = False
    neighbours: Callable[[int], Sequence[Picture]] = lambda reach: ()
    traced: Callable[[Trace, int], Plane | None] = lambda trace, frame: None

    @property
    def measured(self) -> ScreenKnowledge:
        """What was measured of the screen, in a stage that only applies where there is one."""
        assert self.known is not None
        return self.known

    @property
    def keyed(self) -> bool:
        """Whether anything is taken out at all."""
        return self.known is not None and self.screen.kind != "none" and not self.screen.paused

    @property
    def glow(self) -> bool:
        """Whether the subject is light on dark, or ink on light: then coverage has no solid inside."""
        return self.screen.kind in ("dark", "light")


@dataclass(frozen=True)
class Stage:
    """One step from the plate to the result.

    Attributes
    ----------
    name : str
    reads : of str
        The fields of the picture it looks at, beside the raster; it is given no others.
    run : callable
        ``run(picture, context, **values)``: pure; the fields of the picture that change.
    section : str
        The part of the recipe its settings are in; empty for a stage without any.
    settings : type of Settings
        The fields of that section it reads; `run` and `applies` are given their values at the frame.
    applies : callable
        ``applies(context, **values)``: whether it changes anything. By default, wherever anything is taken out.
    around : int
        How many frames before and after it looks at.
    also : callable
        ``also(context, **values)``: what else its result depends on, beside its values and what it reads.
    """

    name: str
    reads: tuple[str, ...]
    run: Callable[..., Changes]
    section: str = ""
    settings: type[Settings] = Settings
    applies: Callable[..., bool] = lambda context, **values: context.keyed
    around: int = 0
    also: Callable[..., str] = lambda context, **values: ""
