"""Keeping footage that was keyed elsewhere as a clip: its file as it is, its alpha judged, a preview beside it."""

import tempfile
from contextlib import closing
from pathlib import Path
from typing import NamedTuple

from sqlalchemy import select

from upholster.media.encoder.join import zip_files
from upholster.media.errors import MediaError
from upholster.media.facts import Facts
from upholster.media.files import put_whole, same_file
from upholster.media.preview import PreviewWriter
from upholster.store.models import Clip, Footage
from upholster.store.session import session
from upholster.store.states import FootageState
from upholster.studio import paths, queue
from upholster.studio.errors import Missing, Refused
from upholster.studio.footage.bring_in import source_of
from upholster.studio.footage.inspect import Inspection, inspect
from upholster.studio.making.keying import Footage as Files
from upholster.studio.making.layer_footage import unkeyed
from upholster.studio.making.sidecar import Source, sha256_of, write_brought_in_sidecar
from upholster.studio.naming import safe_name

_HIDES_NOTHING = "It was not kept as a clip: {} It is footage, to be keyed on the Bench."


def want(footage_id: int) -> None:
    """Have footage kept as a clip, once it is read."""
    with session() as db:
        footage = db.get(Footage, footage_id, with_for_update=True)
        if footage is None:
            raise Missing("This footage is not here any more.")
        if db.scalar(select(Clip.id).where(Clip.footage_id == footage_id)):
            raise Refused(f"“{footage.name}” is a clip of the Stockroom already.")
        footage.stock_wanted, footage.stock_problem = True, ""
        ready = footage.state == FootageState.READY
    if ready:
        queue.ask(queue.STOCK, footage_id=footage_id)


class KeptAs(NamedTuple):
    """Whether footage is still to be kept as a clip, why it was not, or the clip it is."""

    waiting: bool
    problem: str
    clip: int | None


def kept_as(footage_id: int) -> KeptAs:
    """How far the keeping of footage as a clip is."""
    with session() as db:
        footage = db.get(Footage, footage_id)
        if footage is None:
            raise Missing("This footage is not here any more.")
        return KeptAs(footage.stock_wanted, footage.stock_problem,
                      db.scalar(select(Clip.id).where(Clip.footage_id == footage_id)))  # fmt: skip


def waiting() -> list[Footage]:
    """Footage that is to be kept as clips and is not yet, and what could not be."""
    here = Footage.stock_wanted | (Footage.stock_problem != "")
    with session() as db:
        return list(db.scalars(select(Footage).where(here, Footage.state != FootageState.FAILED).order_by(Footage.id)))


def forget(footage_id: int) -> None:
    """Do not say any more why footage was not kept."""
    with session() as db:
        footage = db.get(Footage, footage_id)
        if footage is not None:
            footage.stock_wanted, footage.stock_problem = False, ""


def unkept() -> list[int]:
    """Footage that is read and to be kept as clips."""
    with session() as db:
        wanted = select(Footage.id).where(Footage.stock_wanted, Footage.state == FootageState.READY)
        return list(db.scalars(wanted))


def keep(footage_id: int) -> None:
    """Keep footage as a clip, unless it hides nothing: files first, the row that shows them last."""
    with session() as db:
        footage = db.get(Footage, footage_id)
    if footage is None or not footage.stock_wanted or footage.state != FootageState.READY:
        return
    source = source_of(footage)
    try:
        found = inspect(source)
        if not (found.alpha and source.facts.alpha_kind):
            words = found.in_words() if not found.alpha else "Its alpha is taken as not there."
            give_up(footage_id, _HIDES_NOTHING.format(words))
            return
        _put(footage, source, found)
    except (MediaError, OSError) as error:
        give_up(footage_id, f"It was not kept as a clip: {error}")


def give_up(footage_id: int, problem: str) -> None:
    """Say why footage was not kept."""
    with session() as db:
        footage = db.get(Footage, footage_id, with_for_update=True)
        if footage is not None:
            footage.stock_wanted, footage.stock_problem = False, problem


def _put(footage: Footage, source: Files, found: Inspection) -> None:
    facts = source.facts
    with tempfile.TemporaryDirectory(dir=paths.media_root(), prefix="keeping-") as folder:
        parts = Path(folder)
        file = _one_file(footage, source, parts)
        sidecar, moving = parts / f"{file.name}.json", parts / "preview.webm"
        digest = sha256_of(source.files)
        told = Source(footage.name, digest, facts)
        write_brought_in_sidecar(sidecar, name=footage.name, source=told, inspection=found.model_dump(mode="json"))
        _preview(source, facts, moving)
        home = paths.brought_in_folder(footage.id)
        put_whole([sidecar, moving, file], home)
    with session() as db:
        row = db.get_one(Footage, footage.id, with_for_update=True)
        if not row.stock_wanted:
            return
        row.stock_wanted, row.stock_problem = False, ""
        db.add(
            Clip(
                footage_id=footage.id,
                name=footage.name,
                file=file.name,
                bytes=(home / file.name).stat().st_size,
                width=facts.width,
                height=facts.height,
                frames=facts.length,
                rate=str(facts.rate),
                seconds=float(facts.length / facts.rate),
                alpha=facts.alpha_kind,
                ground="none",
                sound=bool(facts.sound),
                format=facts.codec,
                tags=[],
            )
        )


def _one_file(footage: Footage, source: Files, parts: Path) -> Path:
    """The file to hand over, under the footage's name: the one there is, or a zip of all pictures."""
    stem = safe_name(footage.name)
    if len(source.files) > 1:
        zipped = parts / f"{stem}.zip"
        zip_files([(file, f"{stem}/{stem}.{file.name}") for file in source.files], zipped)
        return zipped
    (file,) = source.files
    named = parts / f"{stem}{file.suffix}"
    same_file(file, named)
    return named


def _preview(source: Files, facts: Facts, path: Path) -> None:
    with PreviewWriter(path, facts.rate) as preview, closing(unkeyed(source).frames(range(facts.length))) as frames:
        for frame in frames:
            preview.show(frame.rgb, frame.alpha)
