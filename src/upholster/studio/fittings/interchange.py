"""Fittings for other programs, and from them: timelines, and what every layer is at on every frame."""

from collections.abc import Mapping
from typing import Literal

from sqlalchemy import select

from upholster.core.composite import values
from upholster.core.composite.layers import Size
from upholster.core.documents.fitting import Fitting, Source
from upholster.media.errors import MediaError
from upholster.media.timeline import Media, fitting_of, timeline_of
from upholster.store import models
from upholster.store.models import Clip, Footage, Shot
from upholster.store.session import session
from upholster.store.states import FootageState
from upholster.studio.errors import Missing, Refused
from upholster.studio.fittings import fittings, sources
from upholster.studio.making.keying import Job
from upholster.studio.making.layer_footage import has_pictures, size_of

#: Characters of the longest timeline that is read.
_LONGEST = 20_000_000


def timeline(fitting_id: int) -> str:
    """A fitting as an ``.otio`` document."""
    state = fittings.open_fitting(fitting_id)
    jobs = _jobs(state.document)
    media = {mark: _media(state.document.layers.each[mark].source, job) for mark, job in jobs.items()}
    return timeline_of(state.document, state.row.name, media)


def read_timeline(text: str) -> models.Fitting:
    """A new fitting from an ``.otio`` document, its files found by their names among what is in the house."""
    if len(text) > _LONGEST:
        raise Refused("This timeline is too large to be read.")
    name, document = fitting_of(text, _find)
    return fittings.new_fitting(name, document)


def table(fitting_id: int, kind: Literal["csv", "json"]) -> str:
    """What every layer is at on every frame."""
    document = fittings.open_fitting(fitting_id).document
    sizes: Mapping[str, Size] = {m: size_of(job) for m, job in _jobs(document).items() if has_pictures(job)}
    return values.as_csv(document, sizes) if kind == "csv" else values.as_json(document, sizes)


def _jobs(document: Fitting) -> dict[str, Job]:
    """What the layers are made from, as far as it is here; hidden ones as well."""
    found = {}
    for mark, layer in document.layers.each.items():
        try:
            found[mark] = sources.job_of_source(layer.source)
        except (Missing, Refused, MediaError):
            continue
    return found


def _media(source: Source, job: Job) -> Media:
    facts = job.footage.facts
    return Media(_called(source), facts.length, facts.rate, not has_pictures(job))


def _called(source: Source) -> str:
    """What the file of a source is called; a shot has none, and its own name stands for it."""
    if source.kind == "clip":
        return sources.clip_of(source).file
    if source.kind == "footage":
        files = sources.footage_of(source).files
        return sources.name_of(source) + (f".{files[0].rsplit('.', 1)[-1]}" if len(files) == 1 else "")
    return sources.name_of(source)


def _find(own: Source | None, name: str) -> Source:
    """What was meant, where it is called so here as well; else what is called so; else a file that is not here."""
    if own is not None and own.kind != "file":
        try:
            if _called(own) == name:
                return own
        except Missing:
            pass
    stem = name.rsplit(".", 1)[0]
    with session() as db:
        clip = db.scalar(
            select(Clip.id).where((Clip.file == name) | (Clip.name == stem), Clip.deleted_at.is_(None)).limit(1)
        )
        if clip is not None:
            return Source(kind="clip", id=clip)
        ready = Footage.state == FootageState.READY
        shot = db.scalar(select(Shot.id).join(Footage).where(Shot.name == name, ready).limit(1))
        if shot is not None:
            return Source(kind="shot", id=shot)
        footage = db.scalar(select(Footage.id).where(Footage.name == stem, ready).limit(1))
        if footage is not None:
            return Source(kind="footage", id=footage)
    return Source(kind="file", path=name)
