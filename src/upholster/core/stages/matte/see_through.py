"""Letting glass and gauze through: towards the least coverage that explains a colour."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from upholster.core.documents.settings import Settings
from upholster.core.documents.tracks import Track, track
from upholster.core.grids import UpsampledGrid, read_row
from upholster.core.kernels import compiled, over_rows
from upholster.core.pipeline.stage import Changes, Context, Picture, Stage, covered
from upholster.core.screen.likeness import likeness
from upholster.core.stages.matte.as_marked import AROUND

Plane = NDArray[np.float32]


class SeeThrough(Settings):
    see_through: Track = track(
        0.0, 0.0, 1.0, step=0.01, doc="Glass and gauze: towards the least coverage that explains the colour."
    )


def _run(picture: Picture, context: Context, *, see_through: float) -> Changes:
    screen = context.screen
    lower = np.minimum(least_coverage(picture.rgb, picture.screen) - picture.cover, 0)
    by: Plane | np.float32 = np.float32(see_through)
    if veil := screen.marked(["veil"]):
        around = round(picture.raster.length(AROUND))
        other = screen.marked(["ground", "subject"])
        there = likeness(picture.rgb, veil, other, picture.screen, alike=screen.alike, around=around)
        by = np.maximum(by, there.alike)
    return covered(picture.cover + lower * by)


def _applies(context: Context, *, see_through: float, **others: Any) -> bool:
    return context.keyed and not context.glow and (see_through > 0 or bool(context.screen.marked(["veil"])))


STAGE = Stage("see_through", ("rgb", "screen", "cover"), _run, "matte", SeeThrough, _applies)


def least_coverage(plate: Plane, screen: UpsampledGrid) -> Plane:
    """The least coverage that can explain a colour in front of the screen, whatever the subject's own.

    The larger of what emission and what absorption would need: no less can be, since no colour of
    the subject lies outside 0..1 (the bound that Smith and Blinn 1996 give, section 4). Where the
    screen leaves little room, grain would be taken for coverage, so the room counts for no less than
    a quarter.
    """
    out = np.empty(plate.shape[1:], np.float32)
    over_rows(_least, plate.shape[1], plate, screen, out)
    return out


@compiled
def _least(plate, screen, out, first, end):
    """alpha = max over primaries of (C - B) / (1 - B) and (B - C) / B."""
    wide = np.empty(out.shape[-1], np.float32)
    one, room = np.float32(1), np.float32(0.25)
    for j in range(first, end):
        out[j] = np.float32(0)
        for c in range(3):
            read_row(screen, c, j, wide)
            for i in range(out.shape[1]):
                change = plate[c, j, i] - wide[i]
                cover = max(change / max(one - wide[i], room), -change / max(wide[i], room))
                out[j, i] = min(max(out[j, i], cover), one)
