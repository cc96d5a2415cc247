"""Linked shots: what is changed of one is changed of its whole family, but for lines on which a shot departs."""

from collections.abc import Iterable, Sequence
from contextlib import suppress
from typing import NamedTuple

from sqlalchemy import select, update
from sqlalchemy.orm import Session

from upholster.core.documents.recipe import Recipe
from upholster.store.models import Family, Shot
from upholster.store.session import session
from upholster.store.states import FootageState
from upholster.studio.errors import Missing, Refused
from upholster.studio.shots.lines import LINES, Line, Side, differing, with_lines, words_of
from upholster.studio.shots.revisions import add_revision, recipe_at


class Member(NamedTuple):
    """A shot of a family, and the lines on which it departs."""

    shot: int
    name: str
    departs: list[str]


def hold(db: Session, *shot_ids: int) -> None:
    """Keep others from changing any shot linked with these, until the transaction ends; before one is locked itself."""
    of = select(Shot.family_id).where(Shot.id.in_(shot_ids))
    db.execute(select(Family.id).where(Family.id.in_(of)).order_by(Family.id).with_for_update())


def members(shots: Iterable[Shot]) -> dict[int, list[Member]]:
    """The families of shots, by their number: all of its shots; one query, however many there are."""
    wanted = {shot.family_id for shot in shots if shot.family_id is not None}
    found: dict[int, list[Member]] = {}
    if not wanted:
        return found
    with session() as db:
        query = select(Shot.family_id, Shot.id, Shot.name, Shot.departs).where(Shot.family_id.in_(wanted))
        for row in db.execute(query.order_by(Shot.id)):
            found.setdefault(row.family_id, []).append(Member(row.id, row.name, row.departs))
    # The last one left is linked with nobody.
    return {family: there for family, there in found.items() if len(there) > 1}


def link(source: int, targets: Sequence[int], lines: Sequence[Line]) -> None:
    """Link shots with one, on some lines; for its family they leave any other.

    Their recipes stay as they are until one is changed: give them the lines first.
    """
    chosen = [line for line in LINES if line in lines]
    if not chosen:
        raise Refused("Choose at least one line to link.")
    with session() as db:
        hold(db, source, *targets)
        shots = {shot.id: shot for shot in _locked(db, Shot.id.in_([source, *targets]))}
        if source not in shots:
            raise Missing("This shot is not here any more.")
        family = shots[source].family_id
        if family is None:
            db.add(new := Family())
            db.flush()
            shots[source].family_id = family = new.id
            shots[source].departs = [line for line in LINES if line not in chosen]
        for shot in shots.values():
            if shot.family_id != family:
                shot.family_id, shot.departs = family, [line for line in LINES if line not in chosen]


def unlink(shot_ids: Sequence[int], but: int | None = None) -> None:
    """Take shots out of their families, but for one of these; their recipes stay as they are."""
    linked = update(Shot).where(Shot.id.in_(shot_ids), Shot.family_id.is_distinct_from(but))
    with session() as db:
        db.execute(linked.values(family_id=None, departs=[]))


def depart(shot_id: int, line: Line) -> None:
    """Let a line of a shot go its own way."""
    with session() as db:
        shot = _own(db, shot_id)
        shot.departs = [each for each in LINES if each == line or each in shot.departs]


def follow(shot_id: int, line: Line) -> None:
    """Let a line of a shot be as it is in its family, now and from now on."""
    with session() as db:
        shot = _own(db, shot_id)
        shot.departs = [each for each in shot.departs if each != line]
        others = [other for other in _others(db, shot) if line not in other.departs]
        if others:
            _take(db, others[0], shot, recipe_at(db, others[0].id, others[0].head), [line], words_of(line).capitalize())


def pass_on(db: Session, shot: Shot, before: Recipe, after: Recipe, change: str) -> None:
    """Change the shots linked with one as it was changed itself; each gets a revision of its own, to be undone.

    One that cannot be changed so, as where its screen is not known any more, stays as it is.
    """
    if shot.family_id is None:
        return
    changed = [line for line in differing(before, after) if line not in shot.departs]
    if not changed:
        return
    for other in _others(db, shot):
        lines = [line for line in changed if line not in other.departs]
        if other.footage.state == FootageState.READY:
            with suppress(Refused):
                _take(db, shot, other, after, lines, change)


def _take(db: Session, source: Shot, target: Shot, recipe: Recipe, lines: Sequence[Line], change: str) -> None:
    own = recipe_at(db, target.id, target.head)
    # What was measured by hand of its own screen stays.
    taken, _ = with_lines(Side(source.footage, recipe), Side(target.footage, own), lines, own.screen)
    if taken != own:
        add_revision(db, target, taken, f"{change} (as {source.name})"[:200], target.head)


def _own(db: Session, shot_id: int) -> Shot:
    """A shot that is linked, held."""
    hold(db, shot_id)
    shot = db.get(Shot, shot_id, with_for_update=True)
    if shot is None:
        raise Missing("This shot is not here any more.")
    if shot.family_id is None:
        raise Refused("This shot is not linked with others.")
    return shot


def _others(db: Session, shot: Shot) -> list[Shot]:
    return _locked(db, (Shot.family_id == shot.family_id) & (Shot.id != shot.id))


def _locked(db: Session, where: object) -> list[Shot]:
    return list(db.scalars(select(Shot).where(where).order_by(Shot.id).with_for_update(of=Shot)))  # type: ignore[arg-type]
