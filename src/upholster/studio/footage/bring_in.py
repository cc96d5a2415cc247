"""Bringing footage in: recognised, looked into, and read through, each time into a reading of its own."""

import re
import shutil
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import NamedTuple

from sqlalchemy import ColumnElement, delete, func, select, text
from sqlalchemy.orm import Session, selectinload

from upholster.media.decoder.reader import probe
from upholster.media.delivery import Delivery, hex_colour
from upholster.media.errors import MediaError
from upholster.media.facts import Facts, told_colour
from upholster.media.files import same_file
from upholster.store.models import Clip, Footage, Reading, Render, Revision, Shot, Watched
from upholster.store.session import session
from upholster.store.states import FootageState, ReadingState
from upholster.studio import paths, queue
from upholster.studio.errors import Missing, Refused
from upholster.studio.fittings import fittings
from upholster.studio.footage import uploads
from upholster.studio.footage.inspect import interpretation
from upholster.studio.making import keying
from upholster.studio.making.sidecar import sha256_of
from upholster.studio.naming import clean

#: Kinds footage with alpha can be told to be; empty is to leave its alpha alone.
_KINDS = ("straight", "premultiplied", "")


def finish_upload(token: str, name: str) -> tuple[Footage, bool]:
    """Take in what was sent as one piece of footage; whether the same bytes were here before.

    What was sent goes once its row is written, or it was found to be no footage; whatever else happens, as when the
    database does not answer, it stays, to be finished later.

    Raises
    ------
    MediaError
        Where it cannot be read.
    """
    folder = uploads.folder_of(token)
    try:
        taken = take_in(folder, name)
    except (MediaError, Refused):
        shutil.rmtree(folder, ignore_errors=True)
        raise
    shutil.rmtree(folder, ignore_errors=True)
    return taken


def take_in(folder: Path, name: str) -> tuple[Footage, bool]:
    """Take in the files of `folder`, which stay where they are; whether the same bytes were here before."""
    pictures = uploads.unpacked(folder)
    digest = sha256_of(pictures)
    title = clean(Path(name).stem) or "unnamed"
    with session() as db:
        # The same bytes sent several times at once are one piece of footage.
        db.execute(text("SELECT pg_advisory_xact_lock(hashtext(:digest))"), {"digest": digest})
        known = db.scalar(select(Footage).where(Footage.sha256 == digest))
        if known and known.state != FootageState.FAILED:
            return known, True
        facts = interpretation(keying.Footage(tuple(pictures), probe(pictures)))
        files = _keep(pictures, paths.footage_folder(digest))
        if known:
            footage = known
            footage.files, footage.facts, footage.state = files, facts.model_dump(mode="json"), FootageState.READING
        else:
            footage = Footage(
                sha256=digest,
                name=title,
                files=files,
                bytes=sum(p.stat().st_size for p in pictures),
                facts=facts.model_dump(mode="json"),
                state=FootageState.READING,
            )
            db.add(footage)
            db.flush()
            if facts.kind != "sound":
                db.add(Shot(footage_id=footage.id, name=title, head=0))
        reading = _begin_reading(db, footage, footage.facts)
    queue.ask(queue.READ, reading_id=reading.id)
    return footage, False


def _keep(pictures: Sequence[Path], home: Path) -> list[str]:
    """Keep files in the folder of their footage, under names of our own; the names."""
    shutil.rmtree(home, ignore_errors=True)
    home.mkdir(parents=True)
    names = []
    for number, picture in enumerate(pictures):
        stem = "original" if len(pictures) == 1 else f"{number:06d}"
        names.append(f"{stem}{picture.suffix.lower()}")
        same_file(picture, home / names[-1])
    return names


def _begin_reading(db: Session, footage: Footage, facts: dict[str, object]) -> Reading:
    reading = Reading(footage_id=footage.id, facts=facts, frames_read=0, sentences=[])
    db.add(reading)
    db.flush()
    return reading


def interpret(footage_id: int, kind: str, over: str = "#000000") -> None:
    """Read footage anew with its alpha taken as straight, premultiplied over a colour, or (empty) not at all.

    Until that is complete, and where it fails, all stays as it is.
    """
    if not re.fullmatch("#[0-9a-fA-F]{6}", over):
        raise Refused("The colour that the alpha is premultiplied over is one like #00ff80.")
    if kind not in _KINDS:
        raise Refused("Alpha is straight, premultiplied or not there.")
    update: dict[str, object] = {"alpha_kind": kind, "alpha_over": tuple(hex_colour(over).ravel().tolist())}
    _read_anew(footage_id, lambda facts: _having("alpha", facts, update))


def part_fields(footage_id: int, parted: bool) -> None:
    """Read interlaced footage anew with its fields brought to one moment, or taken together."""
    _read_anew(footage_id, lambda facts: _having("interlaced", facts, {"deinterlaced": parted}))


def tell_colour(footage_id: int, words: Sequence[str]) -> None:
    """Read footage anew with its colour taken as `words` of `told_colour` say, or without any as the file has it."""
    if not words:
        # Before the row is held: a file takes its time.
        stated = probe(source_of(get_footage(footage_id)).files).colour
        _read_anew(footage_id, lambda facts: facts.model_copy(update={"colour": stated}))
        return

    def told(facts: Facts) -> Facts:
        try:
            return told_colour(facts, words)
        except ValueError as error:
            raise Refused(str(error)) from None

    _read_anew(footage_id, told)


_REFUSED = {
    "alpha": "This footage has no alpha to be taken another way.",
    "interlaced": "This footage is not interlaced.",
}


def _having(what: str, facts: Facts, update: dict[str, object]) -> Facts:
    if not getattr(facts, what):
        raise Refused(_REFUSED[what])
    return facts.model_copy(update=update)


def _read_anew(footage_id: int, taken: Callable[[Facts], Facts]) -> None:
    """Read footage once more, with something of its facts taken another way."""
    with session() as db:
        footage = db.get(Footage, footage_id, with_for_update=True)
        if footage is None:
            raise Missing("This footage is not here any more.")
        if footage.state != FootageState.READY:
            raise Refused("This footage is not ready: it is still being read, or could not be.")
        facts = taken(Facts.model_validate(footage.facts))
        if renders_under_way(db, footage_id):
            raise Refused("A render of this footage is under way. Wait for it, or cancel it first.")
        # One that was asked for before and is not complete is not wanted any more.
        db.execute(delete(Reading).where(Reading.footage_id == footage_id, Reading.state != ReadingState.COMPLETE))
        reading = _begin_reading(db, footage, facts.model_dump(mode="json"))
    queue.ask(queue.READ, reading_id=reading.id)


def leave_as_is(footage_id: int) -> None:
    """Forget a reading that failed; the footage stays as it was before."""
    with session() as db:
        failed = delete(Reading).where(Reading.footage_id == footage_id, Reading.state == ReadingState.FAILED)
        db.execute(failed.where(Reading.footage_id.in_(select(Footage.id).where(Footage.state == FootageState.READY))))


def source_of(footage: Footage) -> keying.Footage:
    home = paths.footage_folder(footage.sha256)
    files = tuple(home / f for f in footage.files)
    return keying.Footage(files, Facts.model_validate(footage.facts), home / "demux.npz")


def all_footage(most: int | None = None, skip: int = 0) -> list[Footage]:
    """Footage, newest first; at most so many, from one on."""
    parts = selectinload(Footage.shots), selectinload(Footage.readings)
    query = select(Footage).options(*parts).order_by(Footage.id.desc()).offset(skip).limit(most)
    with session() as db:
        return list(db.scalars(query))


def footage_with_shots(footage_id: int) -> Footage:
    """One piece of footage, with its shots."""
    parts = selectinload(Footage.shots), selectinload(Footage.readings)
    with session() as db:
        footage = db.get(Footage, footage_id, options=parts)
    if footage is None:
        raise Missing("This footage is not here any more.")
    return footage


class Ground(NamedTuple):
    """Footage as something to lay results over, or to read as mattes."""

    id: int
    name: str
    sha256: str
    length: int
    width: int
    height: int
    reading_id: int | None


def _shown() -> tuple[ColumnElement[bool], ...]:
    """Footage that is ready and has pictures."""
    return Footage.state == FootageState.READY, Footage.facts["kind"].as_string() != "sound"


def grounds() -> list[Ground]:
    """All footage with pictures that is ready, newest first."""
    length, width, height = (Footage.facts[name].as_integer() for name in ("length", "width", "height"))
    with session() as db:
        query = select(Footage.id, Footage.name, Footage.sha256, length, width, height, Footage.reading_id)
        return [Ground(*row) for row in db.execute(query.where(*_shown()).order_by(Footage.id.desc()))]


def get_footage(footage_id: int) -> Footage:
    with session() as db:
        footage = db.get(Footage, footage_id, options=[selectinload(Footage.readings)])
    if footage is None:
        raise Missing("This footage is not here any more.")
    return footage


def footage_of_bytes(sha256: str) -> Footage | None:
    """Footage that is ready, by the digest of its bytes."""
    with session() as db:
        return db.scalar(select(Footage).where(Footage.sha256 == sha256, *_shown()))


def ground_of(delivery: Delivery) -> keying.Footage | None:
    """The footage of a delivery's ground; None where it is a colour or not wanted."""
    if delivery.form.content != "over" or delivery.ground.startswith("#"):
        return None
    found = footage_of_bytes(delivery.ground)
    if found is None:
        raise Refused("The ground of this delivery is not here any more. Choose another.")
    return source_of(found)


def remove(footage_id: int) -> None:
    """Take footage that no clip was made from, and its shots, out of the house."""
    with session() as db:
        footage = db.get(Footage, footage_id, with_for_update=True)
        if footage is None:
            return
        shots = select(Shot.id).where(Shot.footage_id == footage_id)
        if db.scalar(select(Render.id).where(Render.shot_id.in_(shots)).limit(1)):
            raise Refused("Clips were made from this footage, so it stays: they may need to be made again.")
        numbers = set(db.scalars(shots))
        if db.scalar(select(Clip.id).where(Clip.footage_id == footage_id)):
            raise Refused("This footage is a clip of the Stockroom, so it stays. Delete it there first.")
        giving = db.scalar(select(Watched.folder).where(Watched.shot_id.in_(numbers)).limit(1))
        if giving is not None:
            raise Refused(f"What lands in the watched folder {giving} is keyed by its recipe. Give that up first.")
        fitted = {name for n in numbers for name in fittings.uses("shot").get(n, [])}
        fitted |= set(fittings.uses("footage").get(footage_id, []))
        if fitted:
            raise Refused(f"This footage is used in {', '.join(sorted(fitted))}. Take it out there first.")
        db.execute(delete(Revision).where(Revision.shot_id.in_(shots)))
        db.execute(delete(Shot).where(Shot.footage_id == footage_id))
        db.execute(delete(Reading).where(Reading.footage_id == footage_id))
        db.execute(delete(Footage).where(Footage.id == footage_id))
    shutil.rmtree(paths.footage_folder(footage.sha256), ignore_errors=True)


def renders_under_way(db: Session, footage_id: int) -> bool:
    shots = select(Shot.id).where(Shot.footage_id == footage_id)
    going = select(func.count()).where(Render.shot_id.in_(shots), Render.finished_at.is_(None))
    return bool(db.scalar(going))
