"""What was measured of the frames of a shot, as it is kept; and what of it is left alone."""

from collections.abc import Iterable, Mapping
from typing import Any

from sqlalchemy import select
from sqlalchemy.dialects.postgresql import insert

from upholster.core.findings.frame import Measured
from upholster.core.findings.jump import Tale
from upholster.core.findings.places import Place
from upholster.store.models import MeasuredFrame
from upholster.store.session import session


def keep(shot_id: int, measured: Mapping[int, tuple[bytes, Measured]]) -> None:
    """Keep what was measured of frames, in place of what was before."""
    rows = [
        {"shot_id": shot_id, "frame": frame, "digest": digest, "found": _document(found)}
        for frame, (digest, found) in measured.items()
    ]
    if not rows:
        return
    statement = insert(MeasuredFrame).values(rows)
    new = {"digest": statement.excluded.digest, "found": statement.excluded.found}
    with session() as db:
        db.execute(statement.on_conflict_do_update(index_elements=["shot_id", "frame"], set_=new))


def digests(shot_id: int) -> dict[int, bytes]:
    """What each measured frame was measured of."""
    with session() as db:
        rows = db.execute(select(MeasuredFrame.frame, MeasuredFrame.digest).where(MeasuredFrame.shot_id == shot_id))
        return {row.frame: row.digest for row in rows}


def measured_of(shot_id: int, frames: Iterable[int] | None = None) -> dict[int, Measured]:
    """What was measured of frames, or of all."""
    query = select(MeasuredFrame.frame, MeasuredFrame.found).where(MeasuredFrame.shot_id == shot_id)
    with session() as db:
        rows = db.execute(query if frames is None else query.where(MeasuredFrame.frame.in_(list(frames))))
        return {row.frame: _read(row.found) for row in rows}


def _document(found: Measured) -> dict[str, Any]:
    places = {kind: [_rounded(place) for place in there] for kind, there in found.places.items()}
    return {"places": places, "tale": list(found.tale)}


def _rounded(place: Place) -> list[Any]:
    box = [round(side, 4) for side in place.box]
    return [box, list(place.mask), round(place.severity, 3), round(place.amount, 4), round(place.width, 1)]


def _read(document: dict[str, Any]) -> Measured:
    places = {
        kind: [Place(tuple(box), tuple(mask), *numbers) for box, mask, *numbers in there]
        for kind, there in document["places"].items()
    }
    return Measured(places, Tale(*document["tale"]))
