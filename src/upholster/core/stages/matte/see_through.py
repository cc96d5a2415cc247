"""Letting glass and gauze through: towards the least coverage that explains a colour."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from upholster.core.documents.settings import Settings
from upholster.core.documents.tracks import Track, track
from upholster.core.grids import UpsampledGrid, read_colours, read_row
from upholster.core.kernels import compiled, over_rows
from upholster.core.pipeline.stage import Changes, Context, Picture, Stage, covered
from upholster.core.screen.likeness import likeness
from upholster.core.screen.metric import TO_METRIC
from upholster.core.stages.matte.as_marked import AROUND

Plane = NDArray[np.float32]


class SeeThrough(Settings):
    see_through: Track = track(
        0.0, 0.0, 1.0, step=0.01, doc="Glass and gauze: towards the least coverage that explains the colour."
    )


def _run(picture: Picture, context: Context, *, see_through: float) -> Changes:
    screen, cover = context.screen, picture.cover
    least = least_coverage(picture.rgb, picture.screen)
    if veil := screen.marked(["veil"]):
        around = round(picture.raster.length(AROUND))
        other = screen.marked(["ground", "subject"])
        there = likeness(picture.rgb, veil, other, picture.screen, alike=screen.alike, around=around)
        pale = np.maximum(least, pale_coverage(picture.rgb, picture.screen))
        cover = cover + (pale - cover) * there.alike
    return covered(cover + np.minimum(least - cover, 0) * np.float32(see_through))


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


def pale_coverage(plate: Plane, screen: UpsampledGrid) -> Plane:
    """The coverage of a veil that has nothing of the screen's colour itself, ``(h, w)`` float32 0..1.

    What is left of the screen's colour difference is what shines through (Smith and Blinn 1996, section 3, with grey
    instead of no blue).
    """
    out = np.empty(plate.shape[1:], np.float32)
    over_rows(_pale, plate.shape[1], plate, screen, TO_METRIC[1:], out)
    return out


@compiled
def _pale(plate, screen, metric, out, first, end):
    """alpha = 1 - <c, b> / <b, b> of the colour differences c of the plate and b of the screen."""
    width = out.shape[-1]
    r, g, b = np.empty(width, np.float32), np.empty(width, np.float32), np.empty(width, np.float32)
    m = metric
    for j in range(first, end):
        read_colours(screen, j, r, g, b)
        for i in range(width):
            along, whole = np.float32(0), np.float32(1e-4)
            for k in range(2):
                there = m[k, 0] * r[i] + m[k, 1] * g[i] + m[k, 2] * b[i]
                along += there * (m[k, 0] * plate[0, j, i] + m[k, 1] * plate[1, j, i] + m[k, 2] * plate[2, j, i])
                whole += there * there
            out[j, i] = min(max(np.float32(1) - along / whole, np.float32(0)), np.float32(1))


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
