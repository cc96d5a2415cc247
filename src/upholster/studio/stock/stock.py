"""The stockroom: finished clips, kept with their files, described, and taken out again."""

import shutil
from collections.abc import Sequence
from datetime import UTC, datetime, timedelta
from pathlib import Path

from sqlalchemy import delete as delete_rows
from sqlalchemy import select
from sqlalchemy.orm import Session

from upholster.store.models import Clip, Render, RenderCheck
from upholster.store.session import session
from upholster.studio import paths
from upholster.studio.errors import Missing
from upholster.studio.naming import clean

#: How long a deleted clip can be brought back.
KEPT = timedelta(days=30)
#: Most deleted clips that are listed.
_LISTED = 200


def deleted() -> list[Clip]:
    """Clips that can be brought back, the last one deleted first."""
    query = select(Clip).where(Clip.deleted_at > datetime.now(UTC) - KEPT).order_by(Clip.deleted_at.desc())
    with session() as db:
        return list(db.scalars(query.limit(_LISTED)))


def get_clip(clip_id: int) -> Clip:
    """A clip, with what it was made from."""
    with session() as db:
        clip = _get(db, clip_id)
        _ = clip.footage, clip.render and (clip.render.shot, clip.render.fitting)
        return clip


def clips_made_by(renders: Sequence[int]) -> dict[int, int]:
    """The clips that renders made and that are not deleted, by the number of the render."""
    query = select(Clip.render_id, Clip.id).where(Clip.render_id.in_(renders), Clip.deleted_at.is_(None))
    with session() as db:
        return {render: clip for render, clip in db.execute(query) if render is not None}


def folder_of(clip: Clip) -> Path:
    """Where the files of a clip lie."""
    if clip.render_id is not None:
        return paths.clip_folder(clip.render_id)
    assert clip.footage_id is not None
    return paths.brought_in_folder(clip.footage_id)


def file_of(clip: Clip, what: str = "") -> Path:
    """The clip's file, its ``sidecar`` or its ``preview``."""
    name = {"": clip.file, "sidecar": f"{clip.file}.json", "preview": "preview.webm"}[what]
    path = folder_of(clip) / name
    if not path.is_file():
        raise Missing("This clip's file is no longer where it was. Render it again.")
    return path


def tag(clip_id: int, tags: str) -> None:
    """Set a clip's tags from words separated by commas."""
    given = list(dict.fromkeys(word for each in tags.split(",") if (word := clean(each, 40))))[:20]
    with session() as db:
        _get(db, clip_id).tags = given


def note(clip_id: int, notes: str) -> None:
    """Set what is noted of a clip; lines stay lines."""
    lines = [clean(line, 400) for line in notes.splitlines()[:40]]
    with session() as db:
        _get(db, clip_id).notes = "\n".join(lines).strip()


def favour(clip_id: int, favourite: bool) -> None:
    """Make a clip a favourite, or one no longer."""
    with session() as db:
        _get(db, clip_id).favourite = favourite


def delete(clip_id: int) -> None:
    """Put a clip into the bin; it can be brought back for 30 days. Files go when that is over."""
    with session() as db:
        _get(db, clip_id).deleted_at = datetime.now(UTC)


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
        gone = list(db.scalars(select(Clip).where(old)))
        made = [clip.render_id for clip in gone if clip.render_id is not None]
        db.execute(delete_rows(Clip).where(Clip.id.in_([clip.id for clip in gone]), old))
        db.execute(delete_rows(RenderCheck).where(RenderCheck.render_id.in_(made)))
        db.execute(delete_rows(Render).where(Render.id.in_(made)))
    for clip in gone:
        shutil.rmtree(folder_of(clip), ignore_errors=True)


def _get(db: Session, clip_id: int) -> Clip:
    clip = db.get(Clip, clip_id)
    if clip is None:
        raise Missing("This clip is not in the stockroom.")
    return clip
