"""Brushed and carried mattes: what lies outside or inside of them discarded, or kept whole."""

from functools import partial
from typing import Any

from upholster.core.documents.traces import Shown, Traces
from upholster.core.pipeline.stage import Changes, Context, Picture, Stage
from upholster.core.stages.masks.applied import applied
from upholster.core.trace.shown import of_trace, there


def _run(picture: Picture, context: Context, *, shown: tuple[Shown, ...]) -> Changes:
    cover = partial(of_trace, raster=picture.raster, rgb=picture.rgb, traced=context.traced)
    # One that is not there yet does nothing.
    shown = tuple(trace for trace in shown if context.traced(trace.trace, trace.frame) is not None)
    found = applied(picture, context, shown, cover)
    soft = any(trace.does == "discard_outside" for trace in shown)
    return found | ({"traced": found["cover"]} if soft and not context.keyed else {})


def _applies(context: Context, *, shown: tuple[Shown, ...], **others: Any) -> bool:
    return any(trace.does != "limit" for trace in shown)


def _also(context: Context, *, shown: tuple[Shown, ...], **others: Any) -> str:
    return there(shown, context.traced)


STAGE = Stage("traces", ("rgb", "alpha", "cover", "raw_matte"), _run, "traces", Traces, _applies, also=_also)
