"""The stockroom: finished, proofed clips, found again and used again."""

import shutil
from datetime import UTC, datetime, timedelta
from pathlib import Path

from sqlalchemy import func, or_, select

from upholster.store.models import Clip, Render
from upholster.store.session import session
from upholster.studio import places
from upholster.studio.errors import Missing

#: How long a deleted clip can be brought back.
KEPT = timedelta(days=7)


def clips(search: str = "") -> list[Clip]:
    """Clips whose name or tags contain every word of `search`, newest first."""
    query = select(Clip).where(Clip.deleted_at.is_(None)).order_by(Clip.id.desc())
    for word in search.split():
        words = func.array_to_string(Clip.tags, " ")
        query = query.where(or_(Clip.name.icontains(word, autoescape=True), words.icontains(word, autoescape=True)))
    with session() as db:
        found = list(db.scalars(query))
        for clip in found:
            _ = clip.render.shot.footage
        return found


def get_clip(clip_id: int) -> Clip:
    with session() as db:
        clip = db.get(Clip, clip_id)
        if clip is None:
            raise Missing("This clip is not in the stockroom.")
        _ = clip.render.shot
        return clip


def file_of(clip: Clip, what: str = "") -> Path:
    """The clip's file, its ``sidecar`` or its ``preview``."""
    home = places.clip_folder(clip.render_id)
    return home / {"": clip.file, "sidecar": f"{clip.file}.json", "preview": "preview.webm"}[what]


def tag(clip_id: int, tags: str) -> Clip:
    """Set a clip's tags from words separated by commas."""
    with session() as db:
        clip = db.get(Clip, clip_id)
        if clip is None:
            raise Missing("This clip is not in the stockroom.")
        clip.tags = list(dict.fromkeys(word.strip()[:40] for word in tags.split(",") if word.strip()))[:20]
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
    with session() as db:
        gone = list(db.scalars(select(Clip).where(Clip.deleted_at < datetime.now(UTC) - KEPT)))
        for clip in gone:
            render = db.get_one(Render, clip.render_id)
            db.delete(clip)
            db.flush()
            db.delete(render)
    for clip in gone:
        shutil.rmtree(places.clip_folder(clip.render_id), ignore_errors=True)
