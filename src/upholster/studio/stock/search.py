"""Finding clips among many: by words as they are typed, by tags, and by what they are."""

import re
from typing import Any, Literal, NamedTuple, get_args

from sqlalchemy import ColumnElement, Select, func, select
from sqlalchemy.orm import joinedload

from upholster.store.models import Clip, Render, Shot
from upholster.store.session import session
from upholster.studio.naming import clean

Sort = Literal["newest", "oldest", "name", "longest", "shortest", "largest", "heaviest"]

#: What a clip can have been shot before, in words.
GROUNDS = {
    "screen": "a colour screen",
    "colour": "another colour",
    "dark": "a dark ground",
    "light": "a light ground",
    "none": "no screen",
    "fitting": "a fitting",
}
#: Alpha in words, by its kind.
ALPHAS = {"straight": "straight alpha", "premultiplied": "premultiplied alpha", "": "without alpha"}
#: Lengths in seconds and longer sides in pixels, from and up to.
LENGTHS = {"short": (0.0, 2.0), "middle": (2.0, 10.0), "long": (10.0, 1e9)}
SIZES = {"small": (0, 960), "middle": (961, 1920), "large": (1921, 1 << 20)}
_ORDER: dict[Sort, tuple[ColumnElement[Any], ...]] = {
    "newest": (Clip.id.desc(),),
    "oldest": (Clip.id.asc(),),
    "name": (func.lower(Clip.name), Clip.id.asc()),
    "longest": (Clip.seconds.desc(), Clip.id.desc()),
    "shortest": (Clip.seconds.asc(), Clip.id.desc()),
    "largest": ((Clip.width * Clip.height).desc(), Clip.id.desc()),
    "heaviest": (Clip.bytes.desc(), Clip.id.desc()),
}
SORTS: tuple[Sort, ...] = get_args(Sort)
#: Tags that are offered to choose from.
_OFFERED = 60


class Wanted(NamedTuple):
    """What clips are looked for; empty is any.

    Attributes
    ----------
    words : str
        All of which are in the name, the notes or the tags of a clip, or begin a word there.
    tags : tuple of str
        All of which it has.
    ground, alpha, length, size : str
        Keys of `GROUNDS`, `ALPHAS` (or ``any``), `LENGTHS` and `SIZES`.
    sound, favourite : bool
        Only those with sound; only favourites.
    """

    words: str = ""
    tags: tuple[str, ...] = ()
    ground: str = ""
    alpha: str = "any"
    length: str = ""
    size: str = ""
    sound: bool = False
    favourite: bool = False
    sort: Sort = "newest"


#: All clips, the newest first.
ANY = Wanted()


class Tag(NamedTuple):
    """A tag, and how many clips have it."""

    name: str
    clips: int


def clips(wanted: Wanted = ANY, most: int | None = None, skip: int = 0) -> list[Clip]:
    """Clips of the stockroom that fit, in order; at most so many, from one on."""
    query = _fitting(select(Clip), wanted).order_by(*_ORDER[wanted.sort])
    made = joinedload(Clip.render)
    parts = made.joinedload(Render.shot).joinedload(Shot.footage), made.joinedload(Render.fitting)
    with session() as db:
        return list(db.scalars(query.options(*parts, joinedload(Clip.footage)).offset(skip).limit(most)))


def count(wanted: Wanted = ANY) -> int:
    """How many clips fit."""
    with session() as db:
        return db.scalar(_fitting(select(func.count(Clip.id)), wanted)) or 0


def tags() -> list[Tag]:
    """The tags that most clips have, those of the most first."""
    each = func.unnest(Clip.tags).label("tag")
    with session() as db:
        given = select(each).where(Clip.deleted_at.is_(None)).subquery()
        found = select(given.c.tag, func.count()).group_by(given.c.tag)
        ordered = found.order_by(func.count().desc(), given.c.tag).limit(_OFFERED)
        return [Tag(*row) for row in db.execute(ordered)]


def _fitting(query: Select[Any], wanted: Wanted) -> Select[Any]:
    query = query.where(Clip.deleted_at.is_(None))
    # Whatever stands between letters and digits parts words, in clips as well.
    if begun := re.findall(r"[^\W_]+", clean(wanted.words, 200)):
        query = query.where(Clip.words.bool_op("@@")(func.to_tsquery("simple", " & ".join(f"{w}:*" for w in begun))))
    if wanted.tags:
        query = query.where(Clip.tags.contains(list(wanted.tags)))
    if wanted.ground in GROUNDS:
        query = query.where(Clip.ground == wanted.ground)
    if wanted.alpha in ALPHAS:
        query = query.where(Clip.alpha == wanted.alpha)
    if wanted.length in LENGTHS:
        above, below = LENGTHS[wanted.length]
        query = query.where(Clip.seconds >= above, Clip.seconds < below)
    if wanted.size in SIZES:
        least, most = SIZES[wanted.size]
        query = query.where(func.greatest(Clip.width, Clip.height).between(least, most))
    if wanted.sound:
        query = query.where(Clip.sound)
    if wanted.favourite:
        query = query.where(Clip.favourite)
    return query
