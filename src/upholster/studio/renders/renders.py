"""Renders as people ask for them: ordered, put in another order, called off, started again; `listed` follows them."""

import re
from collections import defaultdict
from collections.abc import Hashable, Sequence

from sqlalchemy import func, select, update
from sqlalchemy.orm import Session

from upholster.media.delivery import Delivery, plan
from upholster.media.formats import FORMATS
from upholster.store.models import Clip, Fitting, Render, RenderPass, RenderRange, Shot
from upholster.store.session import session
from upholster.store.states import RenderState
from upholster.studio import queue
from upholster.studio.errors import Refused
from upholster.studio.fittings import fittings
from upholster.studio.making import flat
from upholster.studio.making.parts import in_ranges
from upholster.studio.naming import next_version, safe_name
from upholster.studio.renders.listed import delivery_of
from upholster.studio.renders.made_of import (
    MadeOf,
    layers_of,
    made_of_clip,
    made_of_fitting,
    made_of_render,
    made_of_shot,
)
from upholster.studio.renders.missing import enqueue_missing
from upholster.studio.renders.states import ACTIVE, end
from upholster.studio.renders.traced import start_missing_of
from upholster.studio.stock import stock


def proposed_name(of: Shot | Fitting | Clip) -> str:
    """The name of a shot, a fitting or a clip with a version number no earlier render has."""
    with session() as db:
        return next_version(_stem(of), set(db.scalars(select(Render.name))))


def order(shot_id: int, revision: int, deliveries: Sequence[Delivery], name: str = "") -> list[Render]:
    """Queue the making of files from a revision of a shot.

    Deliveries that show the same frames are made in one pass over the pictures. With several, each
    file's name ends in its format.
    """
    made_of = made_of_shot(shot_id, revision)
    return _order(made_of.shots[0].shot, [made_of] * len(deliveries), revision, deliveries, name)


def order_fitting(
    fitting_id: int, revision: int, deliveries: Sequence[Delivery], name: str = "", layer: str = ""
) -> list[Render]:
    """Queue the making of files from a revision of a fitting, or of one layer, by the recipes its shots have now."""
    document = layers_of(fittings.document_at(fitting_id, revision), layer)
    row = fittings.open_fitting(fitting_id).row
    return _order(row, [made_of_fitting(document, d) for d in deliveries], revision, deliveries, name, layer)


def order_anew(clip_id: int) -> list[Render]:
    """Queue a clip of a fitting once more as it was ordered, by the recipes its shots have now."""
    made = stock.get_clip(clip_id).render
    if made is None or made.fitting_id is None or made.clip_id is not None:
        raise Refused("Only what was made of a fitting is made anew with its shots as they are now.")
    return order_fitting(made.fitting_id, made.revision, [delivery_of(made)], layer=made.layer)


#: Needs whose formats keep a clip so well that others are made from its file.
_KEEPING = ("edit", "archive", "pictures")


def from_its_file(clip: Clip) -> bool:
    """Whether other formats of a clip are made from its own file: one that was brought in, or a fine one."""
    form = FORMATS.get(clip.format)
    return clip.footage_id is not None or bool(form and form.alpha_depth and form.need in _KEEPING)


def order_again(clip_id: int, deliveries: Sequence[Delivery], name: str = "") -> list[Render]:
    """Queue other formats of a clip: from its file, or where that is coarse, from what it was made from."""
    clip = stock.get_clip(clip_id)
    if from_its_file(clip):
        made_of = made_of_clip(clip_id)
        revision = clip.render.revision if clip.render else 0
        return _order(clip, [made_of] * len(deliveries), revision, deliveries, name)
    made = clip.render
    assert made is not None
    if made.shot_id is not None:
        return order(made.shot_id, made.revision, deliveries, name)
    if made.fitting_id is not None:
        return order_fitting(made.fitting_id, made.revision, deliveries, name, made.layer)
    raise Refused("What this clip was made from is not here any more, and its file is too coarse to make others from.")


def _order(
    of: Shot | Fitting | Clip,
    made_of: Sequence[MadeOf],
    revision: int,
    deliveries: Sequence[Delivery],
    name: str,
    layer: str = "",
) -> list[Render]:
    if not deliveries:
        raise Refused("Choose a format to deliver.")
    plans = [
        plan(flat.settled(d, m.job), m.job.footage.facts, m.job.recipe.take)
        for d, m in zip(deliveries, made_of, strict=True)
    ]
    for each, planned in zip(made_of, plans, strict=True):
        each.ground(planned.delivery)
    start_missing_of(made_of[0].shots)
    owner = _owner(of)
    pinned = {str(live.shot.id): live.revision for live in made_of[0].shots} if isinstance(of, Fitting) else {}
    with session() as db:
        names = _names(db, of, [p.form.name for p in plans], name)
        passes: dict[Hashable, RenderPass] = {}
        ordered = []
        for planned, given in zip(plans, names, strict=True):
            # Pictures over a ground are others than those without.
            same = (planned.timing, planned.form.content == "over" and isinstance(of, Fitting))
            made_in = passes.get(same) or _new_pass(owner.get("shot_id"), planned.timing.frames)
            passes[same] = made_in
            ordered.append(
                Render(
                    **owner,
                    pinned=pinned,
                    layer=layer,
                    made_in=made_in,
                    revision=revision,
                    name=given,
                    delivery=planned.delivery.model_dump(mode="json"),
                    frames=planned.timing.frames,
                    state=RenderState.RUNNING,
                )
            )
        db.add_all(ordered)
        db.flush()
        ids = [made_in.id for made_in in passes.values()]
    for pass_id in ids:
        enqueue_missing(pass_id)
    return ordered


def cancel(render_id: int) -> None:
    """Call a render off. Whoever works on it notices within moments and clears away; else `sweep` does."""
    end(render_id, state=RenderState.CANCELLED)


def retry(render_id: int) -> None:
    """Start a failed or cancelled render over, in a pass of its own."""
    with session() as db:
        render = _ended(db, render_id)
    start_missing_of(made_of_render(render, delivery_of(render)).shots)
    with session() as db:
        render = _ended(db, render_id)
        render.state, render.problem, render.proof = RenderState.RUNNING, "", None
        render.cleared = False
        render.started_at = render.finished_at = None
        render.frames_encoded, render.checks = 0, []
        render.made_in = _new_pass(render.shot_id, render.frames)
        db.flush()
        pass_id = render.pass_id
    enqueue_missing(pass_id)


def _ended(db: Session, render_id: int) -> Render:
    """A render that can be started over."""
    render = db.get(Render, render_id, with_for_update=True)
    if render is None or render.state not in (RenderState.FAILED, RenderState.CANCELLED):
        raise Refused("Only a render that failed or was cancelled can be started again.")
    return render


def move(render_id: int, where: str) -> None:
    """Work on a render before all others (``first``) or after them (``last``)."""
    with session() as db:
        render = db.get(Render, render_id, with_for_update=True)
        if render is None or render.state not in ACTIVE:
            raise Refused("Only a render that is under way can be moved.")
        outermost = func.max(Render.place) if where == "first" else func.min(Render.place)
        edge = db.scalar(select(outermost).where(Render.state.in_(ACTIVE), Render.id != render_id)) or 0
        render.place = edge + (1 if where == "first" else -1)
        place, pass_id = render.place, render.pass_id
    queue.move(queue.RANGE, pass_id, place)
    for task in (queue.ASSEMBLE, queue.CHECK, queue.FINISH):
        queue.move(task, render_id, place)


def clear_ended() -> None:
    """Take renders that have ended from the list; what they made stays in the stockroom."""
    with session() as db:
        db.execute(update(Render).where(Render.state.not_in(ACTIVE), Render.cleared.is_(False)).values(cleared=True))


def _owner(of: Shot | Fitting | Clip) -> dict[str, int | None]:
    """What a render belongs to; one made from a clip belongs to what that was made from as well."""
    if isinstance(of, Shot):
        return {"shot_id": of.id}
    if isinstance(of, Fitting):
        return {"fitting_id": of.id}
    shot_id, fitting_id = (of.render.shot_id, of.render.fitting_id) if of.render else (None, None)
    return {"clip_id": of.id, "shot_id": shot_id, "fitting_id": fitting_id}


def _stem(of: Shot | Fitting | Clip) -> str:
    """What its files are called, without a version."""
    stem = safe_name(of.name).replace(" ", "_")
    return re.sub(r"_v\d{3}(_\w+)?$", "", stem) if isinstance(of, Clip) else stem


def _names(db: Session, of: Shot | Fitting | Clip, formats: Sequence[str], given: str) -> list[str]:
    """A free name for each of several formats; a given one that is taken is refused."""
    taken = set(db.scalars(select(Render.name)))
    stem = safe_name(given) if given.strip() else next_version(_stem(of), taken)
    several: dict[str, int] = defaultdict(int)
    names = []
    for form in formats:
        several[form] += 1
        ending = f"_{form}" + (f"_{several[form]}" if several[form] > 1 else "")
        names.append(stem if len(formats) == 1 else stem + ending)
    for name in names:
        if name in taken:
            raise Refused(f"There is a clip named {name} already. Use {next_version(stem, taken)} or another name.")
    return names


def _new_pass(shot_id: int | None, count: int) -> RenderPass:
    ranges = [
        RenderRange(position=k, first=numbers.start, end=numbers.stop, frames_done=0, done=False)
        for k, numbers in enumerate(in_ranges(count))
    ]
    return RenderPass(shot_id=shot_id, ranges=ranges)
