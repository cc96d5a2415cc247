"""What is drawn on pictures: outlines of masks and strokes of traces, kept once each by their content."""

import threading
from collections.abc import Callable

from cachetools import LRUCache
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from upholster.core.documents import recipe as recipes
from upholster.core.documents.recipe import Drawing, Recipe
from upholster.core.documents.sections import Differences
from upholster.core.documents.strokes import Strokes
from upholster.core.masks.course import Course
from upholster.store import models
from upholster.store.session import session

#: Bytes of drawings kept in memory.
_MOST = 64 << 20

_known: LRUCache[str, Drawing] = LRUCache(_MOST, getsizeof=lambda drawing: _size(drawing))
_lock = threading.Lock()


def find(digest: str) -> Drawing:
    """An outline, or strokes, by their digest.

    Raises
    ------
    ValueError
        Where there is none.
    """
    with _lock:
        known = _known.get(digest)
    if known is not None:
        return known
    with session() as db:
        row = db.get(models.Drawing, digest[:64])
    if row is None:
        raise ValueError("this drawing is not here any more; load the page again")
    found = Strokes.read(row.document) if isinstance(row.document, list) else Course.read(row.document)
    _remember(found)
    return found


def keeper(db: Session) -> Callable[[Drawing], str]:
    """What keeps a drawing within a transaction, and gives its digest."""

    def keep(drawing: Drawing) -> str:
        row = {"sha256": drawing.digest, "document": drawing.document()}
        db.execute(insert(models.Drawing).values(row).on_conflict_do_nothing())
        _remember(drawing)
        return drawing.digest

    return keep


def differences(before: Recipe, after: Recipe) -> Differences:
    """What differs between two recipes, by the digests of drawings that are kept from now on."""
    with session() as db:
        return recipes.differences(before, after, keeper(db))


def _remember(drawing: Drawing) -> None:
    with _lock:
        if _size(drawing) < _MOST // 4:
            _known[drawing.digest] = drawing


def _size(drawing: Drawing) -> int:
    return 1000 + (drawing.nbytes if isinstance(drawing, Strokes) else drawing.points.nbytes)
