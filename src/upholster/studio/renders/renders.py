"""Renders as people ask for them: ordered, followed, put in another order, called off, started again."""

from collections import defaultdict
from collections.abc import Hashable, Sequence
from typing import NamedTuple

from sqlalchemy import case, func, select, update
from sqlalchemy.orm import Session, selectinload

from upholster.media.delivery import Delivery, plan, read_delivery
from upholster.media.proof import Proof
from upholster.store.models import Render, RenderPass, RenderRange, Shot
from upholster.store.session import session
from upholster.store.states import RenderState
from upholster.studio import queue
from upholster.studio.errors import Missing, Refused
from upholster.studio.footage.bring_in import ground_of
from upholster.studio.making import delivering, flat
from upholster.studio.naming import next_version, safe_name
from upholster.studio.renders.missing import enqueue_missing
from upholster.studio.renders.states import ACTIVE, end, now
from upholster.studio.renders.traced import start_missing
from upholster.studio.shots.revisions import recipe_at
from upholster.studio.shots.screens import key_job_of


def proposed_name(shot: Shot) -> str:
    """The shot's name with a version number no earlier render has."""
    with session() as db:
        return next_version(_stem(shot), set(db.scalars(select(Render.name))))


def order(shot_id: int, revision: int, deliveries: Sequence[Delivery], name: str = "") -> list[Render]:
    """Queue the making of files from a revision of a shot.

    Deliveries that show the same frames are made in one pass over the pictures. With several, each
    file's name ends in its format.
    """
    if not deliveries:
        raise Refused("Choose a format to deliver.")
    with session() as db:
        shot = db.get(Shot, shot_id)
        if shot is None:
            raise Missing("This shot is not here any more.")
        recipe, footage = recipe_at(db, shot_id, revision), shot.footage
    key_job = key_job_of(footage, recipe)
    plans = [plan(flat.settled(d, key_job), key_job.footage.facts, recipe.take) for d in deliveries]
    for planned in plans:
        ground_of(planned.delivery)
    start_missing(footage, shot_id, recipe)
    with session() as db:
        names = _names(db, shot, [p.form.name for p in plans], name)
        passes: dict[Hashable, RenderPass] = {}
        ordered = []
        for planned, given in zip(plans, names, strict=True):
            made_in = passes.get(planned.timing) or _new_pass(shot_id, planned.timing.frames)
            passes[planned.timing] = made_in
            ordered.append(
                Render(
                    shot_id=shot_id,
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
        traced = render.shot.footage, render.shot_id, recipe_at(db, render.shot_id, render.revision)
    start_missing(*traced)
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


def all_renders(most: int | None = None, skip: int = 0) -> list[Render]:
    """Renders, those under way first and in the order they are worked on; at most so many, from one on."""
    going = Render.state.in_(ACTIVE)
    order = going.desc(), case((going, -Render.place), else_=0), case((going, Render.id), else_=-Render.id)
    parts = selectinload(Render.made_in).selectinload(RenderPass.ranges), selectinload(Render.checks)
    shown = select(Render).where(Render.cleared.is_(False))
    with session() as db:
        return list(db.scalars(shown.options(*parts).order_by(*order).offset(skip).limit(most)))


def clear_ended() -> None:
    """Take renders that have ended from the list; what they made stays in the stockroom."""
    with session() as db:
        db.execute(update(Render).where(Render.state.not_in(ACTIVE), Render.cleared.is_(False)).values(cleared=True))


def under_way() -> int:
    """How many renders are not finished."""
    with session() as db:
        return db.scalar(select(func.count()).where(Render.state.in_(ACTIVE))) or 0


class Standing(NamedTuple):
    """How far a render is, in numbers a person wants."""

    done: int
    total: int
    rate: float
    left: float | None


def standing(render: Render) -> Standing:
    """Frames of the phase under way, frames a second, and seconds left."""
    form = delivery_of(render).form
    made = sum(p.frames_done for p in render.ranges)
    checked = sum(c.frames_done for c in render.checks)
    phases = {"running": made, "encoding": render.frames_encoded, "checking": checked}
    # Where parts are proved as they are made, one round is all; else all frames are encoded and read once more.
    proved = delivering.proves_parts(form)
    rounds, done = (1, made) if proved else (3, made + render.frames_encoded + checked)
    elapsed = (now() - render.started_at).total_seconds() if render.started_at else 0.0
    rate = done / elapsed if elapsed > 0.5 else 0.0
    left = max(0, rounds * render.frames - done) / rate if rate else None
    return Standing(phases.get(render.state, made), render.frames, rate, left)


def delivery_of(render: Render) -> Delivery:
    return read_delivery(render.delivery)


def proof_of(render: Render) -> Proof | None:
    return Proof.model_validate(render.proof) if render.proof else None


def _stem(shot: Shot) -> str:
    return safe_name(shot.name).replace(" ", "_")


def _names(db: Session, shot: Shot, formats: Sequence[str], given: str) -> list[str]:
    """A free name for each of several formats; a given one that is taken is refused."""
    taken = set(db.scalars(select(Render.name)))
    stem = safe_name(given) if given.strip() else next_version(_stem(shot), taken)
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


def _new_pass(shot_id: int, count: int) -> RenderPass:
    ranges = [
        RenderRange(position=k, first=numbers.start, end=numbers.stop, frames_done=0, done=False)
        for k, numbers in enumerate(delivering.in_ranges(count))
    ]
    return RenderPass(shot_id=shot_id, ranges=ranges)
