"""Which folders are watched: those the administrator allows, each with a recipe and a delivery."""

from pathlib import Path
from typing import NamedTuple

from sqlalchemy import func, select
from sqlalchemy.orm import selectinload

from upholster.config import config
from upholster.media.delivery import Delivery, read_delivery
from upholster.store.models import Arrival, Watched
from upholster.store.session import session
from upholster.store.states import ArrivalState
from upholster.studio.errors import Missing, Refused
from upholster.studio.shots import shots
from upholster.studio.watched.landing import DELIVERED, DONE, FAILED

#: Most folders that can be chosen, and arrivals that are told of a folder, the newest.
_MOST, _TOLD = 200, 20
#: How deep below the allowed one folders can be chosen.
_DEEP = 2
#: Arrivals that are still to be gone on with.
UNDER_WAY = (ArrivalState.LANDED, ArrivalState.READING, ArrivalState.MAKING, ArrivalState.MEASURING)


class Told(NamedTuple):
    """A watched folder with how its arrivals stand.

    Attributes
    ----------
    counts : by str
        How many arrivals are in each state.
    arrivals : of Arrival
        The newest, with their renders.
    """

    row: Watched
    counts: dict[str, int]
    arrivals: list[Arrival]


def root() -> Path | None:
    """The folder that the administrator allows, with those in it; None where there is none."""
    allowed = config().watch
    return allowed.resolve() if allowed and allowed.is_dir() else None


def choices() -> list[str]:
    """Folders that can be watched and are not, relative to the allowed one, which is a dot itself."""
    allowed = root()
    if allowed is None:
        return []
    with session() as db:
        taken = set(db.scalars(select(Watched.folder)))
    return [name for name in _inside(allowed) if name not in taken]


def _inside(allowed: Path) -> list[str]:
    found, level = ["."], [allowed]
    for _ in range(_DEEP):
        level = [p for folder in level for p in _folders(folder)]
        found += [str(p.relative_to(allowed)) for p in level]
    return found[:_MOST]


def _folders(folder: Path) -> list[Path]:
    try:
        entries = sorted(folder.iterdir())
    except OSError:
        return []
    kept = (p for p in entries if p.name not in (DONE, FAILED, DELIVERED) and not p.name.startswith("."))
    return [p for p in kept if p.is_dir() and not p.is_symlink()][:_MOST]


def path_of(row: Watched) -> Path | None:
    """Where a watched folder lies; None where it is gone, or allowed no longer."""
    allowed = root()
    path = allowed / row.folder if allowed else None
    return path if path and path.is_dir() and path.resolve().is_relative_to(allowed or path) else None


def leads_to(row: Watched, other: Watched) -> str:
    """The folder in a watched one that another watched one is, or lies in; empty where it lies elsewhere."""
    outer, inner = Path(row.folder), Path(other.folder)
    return inner.relative_to(outer).parts[0] if inner != outer and inner.is_relative_to(outer) else ""


def watch(folder: str, shot_id: int | None, delivery: Delivery, *, report: bool = False) -> Watched:
    """Watch a folder from now on: key by a shot's recipe, or by one that is proposed for each."""
    if folder not in choices():
        raise Refused("This folder cannot be watched: choose one of those that are offered.")
    if shot_id is not None:
        shots.open_shot(shot_id)
    row = Watched(folder=folder, shot_id=shot_id, delivery=delivery.model_dump(mode="json"), report=report)
    with session() as db:
        db.add(row)
    return row


def pause(watched_id: int, *, on: bool) -> None:
    """Take in nothing more from a folder, or go on; what is under way is finished."""
    with session() as db:
        row = db.get(Watched, watched_id)
        if row is None:
            raise Missing("This folder is not watched any more.")
        row.on = on


def give_up(watched_id: int) -> None:
    """Watch a folder no more; its files stay where they are, and so do clips that were made."""
    with session() as db:
        row = db.get(Watched, watched_id)
        if row is not None:
            db.delete(row)


def all_watched() -> list[Told]:
    """All watched folders, with their newest arrivals."""
    with session() as db:
        rows = list(db.scalars(select(Watched).order_by(Watched.id).options(selectinload(Watched.shot))))
        query = select(Arrival.watched_id, Arrival.state, func.count()).group_by(Arrival.watched_id, Arrival.state)
        counts: dict[int, dict[str, int]] = {}
        for watched, state, count in db.execute(query):
            counts.setdefault(watched, {})[state.value] = count
        newest = func.row_number().over(partition_by=Arrival.watched_id, order_by=Arrival.id.desc())
        ranked = select(Arrival.id, newest.label("rank")).subquery()
        shown = select(ranked.c.id).where(ranked.c.rank <= _TOLD)
        arrivals = select(Arrival).where(Arrival.id.in_(shown)).order_by(Arrival.id.desc())
        there: dict[int, list[Arrival]] = {}
        for arrival in db.scalars(arrivals.options(selectinload(Arrival.render))):
            there.setdefault(arrival.watched_id, []).append(arrival)
    return [Told(row, counts.get(row.id, {}), there.get(row.id, [])) for row in rows]


def delivery_of(row: Watched) -> Delivery:
    """What is made of what lands in a folder."""
    return read_delivery(row.delivery)
