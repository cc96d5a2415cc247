"""What was marked by hand: colours of the subject are solid, colours of the ground are clear."""

import cv2
import numpy as np

from upholster.core.pipeline.stage import Changes, Context, Picture, Stage, covered
from upholster.core.screen.likeness import likeness

#: How far around a pixel others must be like it, in pixels of the plate.
AROUND = 3.0
#: How far an edge reaches into what was marked.
_EDGE = 6.0


def _run(picture: Picture, context: Context) -> Changes:
    screen, cover = context.screen, picture.cover
    around = round(picture.raster.length(AROUND))
    if ground := screen.marked(["ground"]):
        other = screen.marked(["subject", "veil"])
        there = likeness(picture.rgb, ground, other, picture.subject, alike=screen.alike, around=around)
        cover = cover * (1 - there.alike)
    if subject := screen.marked(["subject"]):
        other = screen.marked(["ground", "veil"])
        there = likeness(picture.rgb, subject, other, picture.screen, alike=screen.alike, around=around)
        side = 2 * max(1, round(picture.raster.length(_EDGE))) + 1
        inner = cv2.erode(there.alike, np.ones((side, side), np.uint8))
        # An edge has a share of what it is an edge of; what shades well inside is the subject's own.
        whole = np.maximum(there.share, inner)
        cover = np.maximum(cover, whole * there.alike + cover * (1 - there.alike))
    return covered(cover, raw=True)


STAGE = Stage(
    "as_marked",
    ("rgb", "screen", "subject", "cover"),
    _run,
    applies=lambda context, **values: context.keyed and bool(context.screen.samples),
)
