"""Fittings as they are kept: every change is a numbered revision; undo and redo walk among them."""

from typing import Any, NamedTuple

from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from upholster.core.documents.fitting import Fitting, read_fitting
from upholster.store import models
from upholster.store.models import FittingRevision, Render
from upholster.store.session import session
from upholster.studio.errors import Missing, Refused, Stale
from upholster.studio.naming import clean

#: The revision in force of a fitting.
_IN_FORCE = (FittingRevision.fitting_id == models.Fitting.id) & (FittingRevision.number == models.Fitting.head)


class State(NamedTuple):
    """A fitting as its page needs it."""

    row: models.Fitting
    revision: int
    document: Fitting
    undo: str | None
    redo: str | None


def all_fittings(most: int | None = None, skip: int = 0) -> list[models.Fitting]:
    """All fittings, newest first; at most so many, from one on."""
    with session() as db:
        return list(db.scalars(select(models.Fitting).order_by(models.Fitting.id.desc()).offset(skip).limit(most)))


def listed(most: int | None = None, skip: int = 0) -> list[tuple[models.Fitting, Fitting]]:
    """The same with their documents in force; one query."""
    rows = select(models.Fitting, FittingRevision.document).join(FittingRevision, _IN_FORCE)
    with session() as db:
        found = db.execute(rows.order_by(models.Fitting.id.desc()).offset(skip).limit(most))
        return [(row, read_fitting(document)) for row, document in found]


def new_fitting(name: str = "", document: Fitting | None = None) -> models.Fitting:
    """A fitting with nothing in it yet, or with what a document has."""
    with session() as db:
        count = db.scalar(select(func.count(models.Fitting.id))) or 0
        row = models.Fitting(name=clean(name, 120) or f"Fitting {count + 1}", head=0, view={})
        db.add(row)
        db.flush()
        _add(db, row, document or Fitting(), "Begun", None)
        return row


def open_fitting(fitting_id: int) -> State:
    with session() as db:
        return _state(db, _get(db, fitting_id))


def document_at(fitting_id: int, number: int) -> Fitting:
    """The document of a revision."""
    with session() as db:
        return read_fitting(_revision(db, fitting_id, number).document)


def revise(fitting_id: int, document: Fitting, change: str, seen: int, *, branch: bool = False) -> State:
    """Make `document`, made from revision `seen`, the one in force, as a new revision.

    Raises
    ------
    Stale
        Where another revision came into force since, unless `branch` says to go on from the one seen, beside it.
    """
    with session() as db:
        row = _get(db, fitting_id, lock=True)
        if read_fitting(_revision(db, row.id, row.head).document) != document:
            if not branch:
                _check_seen(db, row, seen)
            _add(db, row, document, clean(change, 200), _revision(db, row.id, seen).number)
        return _state(db, row)


def undo(fitting_id: int, seen: int) -> State:
    """Go back to what the revision in force was made from; `Stale` where it is not the one `seen`."""
    with session() as db:
        row = _get(db, fitting_id, lock=True)
        _check_seen(db, row, seen)
        parent = _revision(db, row.id, row.head).parent
        row.head = parent if parent is not None else row.head
        return _state(db, row)


def redo(fitting_id: int, seen: int) -> State:
    """Go on to the newest revision made from the one in force; `Stale` where it is not the one `seen`."""
    with session() as db:
        row = _get(db, fitting_id, lock=True)
        _check_seen(db, row, seen)
        child = _child(db, row)
        row.head = child.number if child else row.head
        return _state(db, row)


def go_to(fitting_id: int, number: int) -> State:
    """Go back (or on) to any revision; none is lost."""
    with session() as db:
        row = _get(db, fitting_id, lock=True)
        row.head = _revision(db, row.id, number).number
        return _state(db, row)


def history(fitting_id: int) -> list[FittingRevision]:
    """All revisions, newest first."""
    here = FittingRevision.fitting_id == fitting_id
    with session() as db:
        return list(db.scalars(select(FittingRevision).where(here).order_by(FittingRevision.number.desc())))


def rename(fitting_id: int, name: str) -> models.Fitting:
    given = clean(name, 120)
    if not given:
        raise Refused("Give the fitting a name.")
    with session() as db:
        row = _get(db, fitting_id, lock=True)
        row.name = given
        return row


def remember_view(fitting_id: int, view: dict[str, Any]) -> None:
    """Keep how its page was left."""
    with session() as db:
        _get(db, fitting_id).view = view


def copy(fitting_id: int) -> models.Fitting:
    """Another fitting that begins as this one is."""
    state = open_fitting(fitting_id)
    return new_fitting(f"{state.row.name} copy", state.document)


def remove(fitting_id: int) -> None:
    """Take a fitting that no clip was made from out of the house."""
    with session() as db:
        row = _get(db, fitting_id, lock=True)
        if db.scalar(select(Render.id).where(Render.fitting_id == fitting_id).limit(1)):
            raise Refused("Clips were made from this fitting, so it stays: they may need to be made again.")
        db.execute(delete(models.Fitting).where(models.Fitting.id == row.id))


def uses(kind: str) -> dict[int, list[str]]:
    """The names of the fittings in whose revision in force clips, shots or footage are used, by their number."""
    found: dict[int, list[str]] = {}
    with session() as db:
        rows = select(models.Fitting.name, FittingRevision.document).join(FittingRevision, _IN_FORCE)
        for name, document in db.execute(rows.order_by(models.Fitting.id)):
            sources = [document["ground"]["source"], *(each["source"] for each in document["layers"]["each"].values())]
            for number in {s["id"] for s in sources if s and s["kind"] == kind}:
                found.setdefault(number, []).append(name)
    return found


def _get(db: Session, fitting_id: int, *, lock: bool = False) -> models.Fitting:
    row = db.get(models.Fitting, fitting_id, with_for_update=lock)
    if row is None:
        raise Missing("This fitting is not here any more.")
    return row


def _revision(db: Session, fitting_id: int, number: int) -> FittingRevision:
    here = FittingRevision.fitting_id == fitting_id, FittingRevision.number == number
    found = db.scalar(select(FittingRevision).where(*here))
    if found is None:
        raise Missing(f"This fitting has no revision {number}.")
    return found


def _check_seen(db: Session, row: models.Fitting, seen: int) -> None:
    if row.head != seen:
        change = _revision(db, row.id, row.head).change
        raise Stale(f"Another window changed this fitting since, to revision {row.head}: {change}.")


def _add(db: Session, row: models.Fitting, document: Fitting, change: str, parent: int | None) -> None:
    newest = db.scalar(select(func.max(FittingRevision.number)).where(FittingRevision.fitting_id == row.id)) or 0
    db.add(
        FittingRevision(
            fitting_id=row.id,
            number=newest + 1,
            parent=parent,
            change=change,
            document=document.model_dump(mode="json"),
        )
    )
    row.head = newest + 1
    db.flush()


def _child(db: Session, row: models.Fitting) -> FittingRevision | None:
    here = FittingRevision.fitting_id == row.id, FittingRevision.parent == row.head
    return db.scalar(select(FittingRevision).where(*here).order_by(FittingRevision.number.desc()).limit(1))


def _state(db: Session, row: models.Fitting) -> State:
    revision, child = _revision(db, row.id, row.head), _child(db, row)
    undo = revision.change if revision.parent else None
    return State(row, row.head, read_fitting(revision.document), undo, child.change if child else None)
