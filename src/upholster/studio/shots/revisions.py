"""How recipes are kept: each revision as what differs from its parent, a whole one every so often."""

import threading
from typing import Any

from cachetools import LRUCache
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from upholster.core.documents.recipe import VERSION, Recipe, changed, differences, document_of, read_recipe
from upholster.store.models import Footage, Revision, Shot
from upholster.studio import drawings
from upholster.studio.errors import Missing

#: Most revisions between two whole ones.
_APART = 31

#: Recipes by shot and number; a revision never changes.
_known: LRUCache[tuple[int, int], Recipe] = LRUCache(500)
_lock = threading.Lock()


def first_recipe(footage: Footage) -> Recipe:
    """The recipe proposed for footage when it was first read."""
    return read_recipe(footage.first_recipe)


def revision_of(db: Session, shot_id: int, number: int) -> Revision:
    """A revision's row."""
    found = db.scalar(select(Revision).where(Revision.shot_id == shot_id, Revision.number == number))
    if found is None:
        raise Missing(f"This shot has no revision {number}.")
    return found


def known_recipe(shot_id: int, number: int) -> Recipe | None:
    """The recipe of a revision, if it was read before."""
    with _lock:
        return _known.get((shot_id, number))


def recipe_at(db: Session, shot_id: int, number: int) -> Recipe:
    """The recipe of a revision."""
    found = known_recipe(shot_id, number)
    if found is None:
        found = _read(db, shot_id, number)
        with _lock:
            _known[shot_id, number] = found
    return found


def _read(db: Session, shot_id: int, number: int) -> Recipe:
    """The last whole recipe, with all that differs from there on; one query however far back that is."""
    rows = select(Revision.parent, Revision.recipe, Revision.differences)
    here = rows.where(Revision.shot_id == shot_id, Revision.number == number).cte("chain", recursive=True)
    before = rows.where(Revision.shot_id == shot_id, Revision.number == here.c.parent, here.c.recipe.is_(None))
    chain = db.execute(select(here.union_all(before))).all()
    if not chain or chain[-1].recipe is None:
        raise Missing(f"This shot has no revision {number}.")
    recipe = read_recipe(chain[-1].recipe, drawings.find)
    if _in_full(chain[-1].recipe):
        document_of(recipe, drawings.keeper(db))
    for row in reversed(chain[:-1]):
        recipe = changed(recipe, row.differences, drawings.find)
    return recipe


def _in_full(document: dict[str, Any]) -> bool:
    """Whether outlines of masks are written out in it, as those that were proposed used to be.

    Windows ask for them by their digest.
    """
    masks = document.get("masks")
    each = masks.get("each", {}) if isinstance(masks, dict) else {}
    return any(not isinstance(mask["course"], str) for mask in each.values())


def add_revision(db: Session, shot: Shot, recipe: Recipe, change: str, parent: int | None) -> None:
    """Keep a recipe as the newest revision of a shot, made from `parent`, and bring it into force."""
    newest = db.scalar(select(func.max(Revision.number)).where(Revision.shot_id == shot.id)) or 0
    row = Revision(shot_id=shot.id, number=newest + 1, parent=parent, change=change, recipe=None, differences=None)
    before = None if parent is None else revision_of(db, shot.id, parent)
    if before is None or before.depth >= _APART or _version(db, shot.id, before) != VERSION:
        row.recipe, row.depth = document_of(recipe, drawings.keeper(db)), 0
    else:
        row.differences = differences(recipe_at(db, shot.id, before.number), recipe, drawings.keeper(db))
        row.depth = before.depth + 1
    db.add(row)
    shot.head = row.number
    db.flush()


def _version(db: Session, shot_id: int, row: Revision) -> int:
    """The version of the document that a revision is kept in."""
    while row.recipe is None:
        assert row.parent is not None
        row = revision_of(db, shot_id, row.parent)
    return int(row.recipe.get("version", 1))
