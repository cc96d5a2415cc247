"""The list of stages, in the order they are walked."""

from upholster.core.pipeline.stage import Stage
from upholster.core.stages.edge import choke, edge_colour, recover, source_alpha
from upholster.core.stages.finish import add_grain, balance, grade, match, sharpen, tint, wrap
from upholster.core.stages.masks import drawn
from upholster.core.stages.matte import (
    as_marked,
    edge_detail,
    edge_smoothing,
    fill_holes,
    levels,
    raw_matte,
    see_through,
    specks,
    subject_colours,
    temporal_denoise,
    tracking_marks,
)
from upholster.core.stages.screen import clean_plate, joined, qualifier
from upholster.core.stages.take import crop, legal_values, turn
from upholster.core.stages.trace import traced, traced_colour

ORDER: tuple[Stage, ...] = (
    crop.STAGE,
    legal_values.STAGE,
    temporal_denoise.STAGE,
    clean_plate.STAGE,
    subject_colours.STAGE,
    raw_matte.STAGE,
    edge_detail.STAGE,
    as_marked.STAGE,
    edge_smoothing.STAGE,
    qualifier.STAGE,
    see_through.STAGE,
    joined.STAGE,
    levels.STAGE,
    fill_holes.STAGE,
    tracking_marks.STAGE,
    specks.STAGE,
    drawn.STAGE,
    traced.STAGE,
    recover.STAGE,
    choke.STAGE,
    source_alpha.STAGE,
    edge_colour.STAGE,
    traced_colour.STAGE,
    balance.STAGE,
    grade.STAGE,
    match.STAGE,
    tint.STAGE,
    sharpen.STAGE,
    add_grain.STAGE,
    turn.STAGE,
    # The ground lies behind the picture as it is delivered.
    wrap.STAGE,
)
