"""The one runner: a plate, a recipe and a frame number in; straight RGBA out.

It walks the list of stages and knows none of them. What a stage computed is kept under a digest chained from
everything that went in: the screen, the values of the stage, and the digests of the fields of the picture it reads,
which begin with the plate.
"""

from collections.abc import Callable, Sequence
from functools import partial
from hashlib import blake2b
from typing import Any, NamedTuple, TypeVar

import numpy as np
from numpy.typing import NDArray

from upholster.core.documents.masks import Drawn
from upholster.core.documents.recipe import Recipe
from upholster.core.documents.traces import Shown, Trace
from upholster.core.masks.joined import joined, of_mask
from upholster.core.pipeline.order import ORDER
from upholster.core.pipeline.stage import Changes, Context, Picture, Stage
from upholster.core.raster import Raster
from upholster.core.screen.clean_plate import ScreenKnowledge
from upholster.core.trace.shown import of_trace, there

Plane = NDArray[np.float32]
T = TypeVar("T")

#: Keeps what a stage computed, by its digest.
Memo = Callable[[bytes, Callable[[], Changes]], Changes]


class Plate(NamedTuple):
    """A frame as it is before keying.

    Attributes
    ----------
    rgb : (3, h, w) float32
        Encoded RGB.
    alpha : (h, w) float32 or None
        What the footage brings itself.
    raster : Raster
        Where it lies on the plate the recipe is counted in.
    identity : bytes
        Names these pixels, and with them the frames around, among all that share a memo: footage, reading,
        frame and size.
    floating : bool
        Whether the footage holds floats, whose highlights go beyond 1.
    """

    rgb: Plane
    alpha: Plane | None
    raster: Raster
    identity: bytes = b""
    floating: bool = False


def plate_of(rgb: Plane, alpha: Plane | None = None, identity: bytes = b"", *, floating: bool = False) -> Plate:
    """A frame at the size it was shot in."""
    return Plate(rgb, alpha, Raster.of_plate(rgb.shape[2], rgb.shape[1]), identity, floating)


def compute(digest: bytes, stage: Callable[[], Changes]) -> Changes:
    """The memo that keeps nothing."""
    return stage()


class _Step(NamedTuple):
    stage: Stage
    values: dict[str, Any]
    within: tuple[Drawn, ...] = ()
    traced: tuple[Shown, ...] = ()


def steps(recipe: Recipe, frame: int, context: Context) -> list[_Step]:
    """The stages that change anything on a frame, with their values there."""
    found = []
    masks = [mask for mask in recipe.masks.at(frame)["drawn"] if mask.does == "limit"]
    traces = [trace for trace in recipe.traces.at(frame)["shown"] if trace.does == "limit"]
    for stage in ORDER:
        section = getattr(recipe, stage.section) if stage.section else None
        if section is not None and getattr(section, "paused", False):
            continue
        values = section.at(frame, stage.settings) if section is not None else {}
        if stage.applies(context, **values):
            within = (tuple(each for each in limits if each.line == stage.name) for limits in (masks, traces))
            found.append(_Step(stage, values, *within))
    return found


def settings_digest(
    recipe: Recipe, frame: int, known: ScreenKnowledge | None, traced: Callable[[Trace, int], Plane | None]
) -> bytes:
    """Names all that a frame is made from beside its plate: equal where it comes out the same."""
    context = Context(recipe.screen, known, traced=traced)
    told = (
        repr((step.stage.name, sorted(step.values.items()), step.within, step.traced))
        + step.stage.also(context, **step.values)
        + there(step.traced, traced)
        for step in steps(recipe, frame, context)
    )
    return digest_of(recipe.screen.model_dump_json(), known.digest if known else b"", *told)


def around(recipe: Recipe, frame: int, known: ScreenKnowledge | None) -> int:
    """How many frames before and after keying a frame looks at."""
    return max((step.stage.around for step in steps(recipe, frame, Context(recipe.screen, known))), default=0)


def key(
    plate: Plate,
    recipe: Recipe,
    frame: int,
    known: ScreenKnowledge | None,
    *,
    neighbours: Callable[[int], Sequence[Plate]] = lambda reach: (),
    traced: Callable[[Trace, int], Plane | None] = lambda trace, frame: None,
    memo: Memo = compute,
) -> Picture:
    """Key one frame.

    Parameters
    ----------
    frame : int
        Its number, from which keyframes follow.
    known : ScreenKnowledge or None
        What `measure_screen` found for this shot and ``recipe.screen``.
    neighbours
        Gives the plates up to so many frames before and after, as far as there are any; called only where
        a stage looks at them.
    traced
        Gives the matte of a trace on a frame, as `Context.traced` says.
    memo
        Where results are kept between calls.
    """
    context = Context(recipe.screen, known, plate.alpha is not None, plate.floating, traced=traced)
    return _run(plate, steps(recipe, frame, context), context, neighbours, memo)


def _run(
    plate: Plate,
    walk: Sequence[_Step],
    context: Context,
    neighbours: Callable[[int], Sequence[Plate]],
    memo: Memo,
) -> Picture:
    picture = Picture(plate.raster, plate.rgb, _solid(plate), plate.alpha)
    shot = digest_of(context.screen.model_dump_json(), context.known.digest if context.known else b"")
    begun = digest_of(plate.identity, repr(plate.raster))
    made: dict[str, bytes] = dict.fromkeys(Picture._fields, begun)
    for position, (stage, values, within, traces) in enumerate(walk):

        def near(reach: int, before: Sequence[_Step] = walk[:position]) -> list[Picture]:
            return [_run(other, before, context, neighbours, memo) for other in neighbours(reach)]

        seen = context._replace(neighbours=near) if stage.around else context
        reads = {name: getattr(picture, name) for name in ("raster", *stage.reads)}
        digest = digest_of(
            shot, stage.name, repr(sorted(values.items())), stage.also(seen, **values), *(made[name] for name in reads)
        )
        changes = memo(digest, partial(stage.run, Picture(**reads), seen, **values))
        if within or traces:
            # Fields that a stage changes without reading them count as well.
            digest = digest_of(
                digest,
                repr((within, traces)),
                there(traces, context.traced),
                made["rgb"],
                *(made[name] for name in changes),
            )
            changes = memo(digest, partial(_limited, picture, changes, within, traces, context))
        picture = picture._replace(**changes)
        made.update({name: digest_of(digest, name) for name in changes})
    return picture


def _limited(
    before: Picture, changes: Changes, within: Sequence[Drawn], traces: Sequence[Shown], context: Context
) -> Changes:
    """What a stage changes, inside masks and traces only."""
    raster = before.raster
    of_masks = joined(within, partial(of_mask, raster=raster), raster)
    cover = partial(of_trace, raster=raster, rgb=before.rgb, traced=context.traced)
    of_traces = joined(traces, cover, raster)
    inside = of_traces if of_masks is None else of_masks if of_traces is None else of_masks * of_traces
    return {name: (old := getattr(before, name)) + inside * (new - old) for name, new in changes.items()}


def _solid(plate: Plate) -> Plane:
    return np.broadcast_to(np.float32(1), plate.rgb.shape[1:])


def digest_of(*parts: bytes | str) -> bytes:
    """A digest of parts, each told apart from the next."""
    taken = blake2b(digest_size=16)
    for part in parts:
        data = part.encode() if isinstance(part, str) else part
        taken.update(len(data).to_bytes(4, "little") + data)
    return taken.digest()
