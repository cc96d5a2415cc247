"""How renders stand: those of the list, one, the last of a shot; how far each is, and what they come to together."""

from collections.abc import Iterable, Sequence
from typing import NamedTuple

from sqlalchemy import case, func, select
from sqlalchemy.orm import selectinload

from upholster.media.delivery import Delivery, read_delivery
from upholster.media.proof import Proof
from upholster.store.models import Render, RenderPass, Shot
from upholster.store.session import session
from upholster.store.states import RenderState
from upholster.studio.errors import Missing
from upholster.studio.making.proving import proves_parts
from upholster.studio.renders.states import ACTIVE, now

#: Most renders that failed that are named at the head of the list.
_FAILED = 5


class Tally(NamedTuple):
    """How the renders of the list stand together: how many, and those that failed with the reason."""

    done: int
    going: int
    failed: list[tuple[str, str]]
    more: int


class Standing(NamedTuple):
    """How far a render is, in numbers a person wants."""

    done: int
    total: int
    rate: float
    left: float | None


def all_renders(most: int | None = None, skip: int = 0) -> list[Render]:
    """Renders, those under way first and in the order they are worked on; at most so many, from one on."""
    going = Render.state.in_(ACTIVE)
    order = going.desc(), case((going, -Render.place), else_=0), case((going, Render.id), else_=-Render.id)
    parts = selectinload(Render.made_in).selectinload(RenderPass.ranges), selectinload(Render.checks)
    shown = select(Render).where(Render.cleared.is_(False))
    with session() as db:
        return list(db.scalars(shown.options(*parts).order_by(*order).offset(skip).limit(most)))


def get_render(render_id: int) -> Render:
    """One render."""
    parts = selectinload(Render.made_in).selectinload(RenderPass.ranges), selectinload(Render.checks)
    with session() as db:
        render = db.get(Render, render_id, options=parts)
    if render is None:
        raise Missing("There is no such render.")
    return render


def last_of(shot_ids: Sequence[int]) -> dict[int, Render]:
    """The newest render of each shot that has any; one query, however many there are."""
    newest = select(func.max(Render.id)).where(Render.shot_id.in_(shot_ids)).group_by(Render.shot_id)
    with session() as db:
        return {render.shot_id: render for render in db.scalars(select(Render).where(Render.id.in_(newest)))
                if render.shot_id is not None}  # fmt: skip


def overtaken(renders: Iterable[Render]) -> dict[int, list[str]]:
    """Of renders of fittings, the names of the shots that were changed since, by the number of the render."""
    pinned = {render.id: {int(n): at for n, at in render.pinned.items()} for render in renders if render.pinned}
    wanted = {shot_id for each in pinned.values() for shot_id in each}
    if not wanted:
        return {}
    with session() as db:
        heads = {n: (name, head) for n, name, head in db.execute(
            select(Shot.id, Shot.name, Shot.head).where(Shot.id.in_(wanted)))}  # fmt: skip
    found = {
        n: [heads[s][0] for s, at in each.items() if s in heads and heads[s][1] != at] for n, each in pinned.items()
    }
    return {n: names for n, names in found.items() if names}


def tally() -> Tally:
    """How all renders of the list stand together, in two queries."""
    shown = Render.cleared.is_(False)
    with session() as db:
        counted = select(Render.state, func.count()).where(shown).group_by(Render.state)
        counts = {row.state: int(row[1]) for row in db.execute(counted)}
        query = select(Render.name, Render.problem).where(shown, Render.state == RenderState.FAILED)
        newest = query.order_by(Render.id.desc()).limit(_FAILED)
        failed = [(name, problem) for name, problem in db.execute(newest)]
    going = sum(counts.get(state, 0) for state in ACTIVE)
    return Tally(
        counts.get(RenderState.DONE, 0), going, failed, max(0, counts.get(RenderState.FAILED, 0) - len(failed))
    )


def under_way() -> int:
    """How many renders are not finished."""
    with session() as db:
        return db.scalar(select(func.count()).where(Render.state.in_(ACTIVE))) or 0


def standings(render_ids: Sequence[int]) -> dict[int, "Standing"]:
    """How renders stand; as many queries however many there are."""
    parts = selectinload(Render.made_in).selectinload(RenderPass.ranges), selectinload(Render.checks)
    with session() as db:
        return {r.id: standing(r) for r in db.scalars(select(Render).where(Render.id.in_(render_ids)).options(*parts))}


def standing(render: Render) -> Standing:
    """Frames of the phase under way, frames a second, and seconds left."""
    form = delivery_of(render).form
    made = sum(p.frames_done for p in render.ranges)
    checked = sum(c.frames_done for c in render.checks)
    phases = {"running": made, "encoding": render.frames_encoded, "checking": checked}
    # Where parts are proved as they are made, one round is all; else all frames are encoded and read once more.
    proved = proves_parts(form)
    rounds, done = (1, made) if proved else (3, made + render.frames_encoded + checked)
    elapsed = (now() - render.started_at).total_seconds() if render.started_at else 0.0
    rate = done / elapsed if elapsed > 0.5 else 0.0
    left = max(0, rounds * render.frames - done) / rate if rate else None
    return Standing(phases.get(render.state, made), render.frames, rate, left)


def delivery_of(render: Render) -> Delivery:
    return read_delivery(render.delivery)


def proof_of(render: Render) -> Proof | None:
    return Proof.model_validate(render.proof) if render.proof else None
