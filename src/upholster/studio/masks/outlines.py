"""Outlines of masks, kept once each by their content; recipes have them by their digest."""

import threading
from collections.abc import Callable

from cachetools import LRUCache
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from upholster.core.masks.course import Course
from upholster.store.models import Outline
from upholster.store.session import session

#: Bytes of outlines kept in memory.
_MOST = 64 << 20

_known: LRUCache[str, Course] = LRUCache(_MOST, getsizeof=lambda course: course.points.nbytes + 1000)
_lock = threading.Lock()


def find(digest: str) -> Course:
    """An outline by its digest.

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
        row = db.get(Outline, digest[:64])
    if row is None:
        raise ValueError("this outline is not here any more; load the page again")
    course = Course.read(row.document)
    _remember(course)
    return course


def keeper(db: Session) -> Callable[[Course], str]:
    """What keeps an outline within a transaction, and gives its digest."""

    def keep(course: Course) -> str:
        row = {"sha256": course.digest, "document": course.document()}
        db.execute(insert(Outline).values(row).on_conflict_do_nothing())
        _remember(course)
        return course.digest

    return keep


def _remember(course: Course) -> None:
    with _lock:
        if course.points.nbytes < _MOST // 4:
            _known[course.digest] = course
