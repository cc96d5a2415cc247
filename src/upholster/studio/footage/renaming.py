"""Other names for footage and shots."""

from sqlalchemy import select

from upholster.store.models import Footage, Shot
from upholster.store.session import session
from upholster.studio.errors import Missing, Refused
from upholster.studio.naming import clean


def rename_footage(footage_id: int, name: str) -> None:
    """Call footage otherwise, and with it a shot that is called as it is."""
    title = _title(name)
    with session() as db:
        footage = db.get(Footage, footage_id, with_for_update=True)
        if footage is None:
            raise Missing("This footage is not here any more.")
        same = select(Shot).where(Shot.footage_id == footage_id, Shot.name == footage.name)
        for shot in list(db.scalars(same)):
            shot.name = title
        footage.name = title


def rename_shot(shot_id: int, name: str) -> None:
    title = _title(name)
    with session() as db:
        shot = db.get(Shot, shot_id, with_for_update=True)
        if shot is None:
            raise Missing("This shot is not here any more.")
        shot.name = title


def _title(name: str) -> str:
    title = clean(name)
    if not title:
        raise Refused("A name has at least one letter or figure.")
    return title
