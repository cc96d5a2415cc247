"""The stockroom: finished, proofed clips, found again and used again."""

import shutil
from datetime import UTC, datetime, timedelta
from pathlib import Path

from sqlalchemy import delete as delete_rows
from sqlalchemy import func, or_, select
from sqlalchemy.orm import joinedload

from upholster.store.models import Clip, Render, RenderCheck, Shot
from upholster.store.session import session
from upholster.studio import paths
from upholster.studio.errors import Missing
from upholster.studio.naming import clean

#: How long a deleted clip can be brought back.
KEPT = timedelta(days=7)


def clips(search: str = "", most: int | None = None, skip: int = 0) -> list[Clip]:
    """Clips whose name or tags contain every word of `search`, newest first; at most so many, from one on."""
    query = select(Clip).where(Clip.deleted_at.is_(None)).order_by(Clip.id.desc())
    for word in clean(search, 200).split():
        words = func.array_to_string(Clip.tags, " ")
        query = query.where(or_(Clip.name.icontains(word, autoescape=True), words.icontains(word, autoescape=True)))
    parts = joinedload(Clip.render).joinedload(Render.shot).joinedload(Shot.footage)
    with session() as db:
        return list(db.scalars(query.options(parts).offset(skip).limit(most)))


def deleted() -> list[Clip]:
    """Clips that can be brought back, the last one deleted first."""
    query = select(Clip).where(Clip.deleted_at > datetime.now(UTC) - KEPT).order_by(Clip.deleted_at.desc())
    with session() as db:
        return list(db.scalars(query))


def get_clip(clip_id: int) -> Clip:
    with session() as db:
        clip = db.get(Clip, clip_id)
        if clip is None:
            raise Missing("This clip is not in the stockroom.")
        _ = clip.render.shot
        return clip


def file_of(clip: Clip, what: str = "") -> Path:
    """The clip's file, its ``sidecar`` or its ``preview``."""
    name = {"": clip.file, "sidecar": f"{clip.file}.json", "preview": "preview.webm"}[what]
    path = paths.clip_folder(clip.render_id) / name
    if not path.is_file():
        raise Missing("This clip's file is no longer where it was. Render it again.")
    return path


def tag(clip_id: int, tags: str) -> Clip:
    """Set a clip's tags from words separated by commas."""
    with session() as db:
        clip = db.get(Clip, clip_id)
        if clip is None:
            raise Missing("This clip is not in the stockroom.")
        clip.tags = list(dict.fromkeys(word for given in tags.split(",") if (word := clean(given, 40))))[:20]
    return get_clip(clip_id)


def delete(clip_id: int) -> None:
    """Take a clip out; it can be brought back for a week. Files go when that is over."""
    with session() as db:
        clip = db.get(Clip, clip_id)
        if clip is None:
            raise Missing("This clip is not in the stockroom.")
        clip.deleted_at = datetime.now(UTC)


def bring_back(clip_id: int) -> None:
    with session() as db:
        clip = db.get(Clip, clip_id)
        if clip is None:
            raise Missing("This clip was deleted too long ago to be brought back.")
        clip.deleted_at = None


def empty_bin() -> None:
    """Remove for good what was deleted longer ago than can be undone."""
    old = Clip.deleted_at < datetime.now(UTC) - KEPT
    with session() as db:
        gone = list(db.scalars(select(Clip.render_id).where(old)))
        db.execute(delete_rows(Clip).where(Clip.render_id.in_(gone), old))
        db.execute(delete_rows(RenderCheck).where(RenderCheck.render_id.in_(gone)))
        db.execute(delete_rows(Render).where(Render.id.in_(gone)))
    for render_id in gone:
        shutil.rmtree(paths.clip_folder(render_id), ignore_errors=True)
