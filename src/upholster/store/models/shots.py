"""Shots, their recipes through time, and what was measured of them."""

from datetime import datetime
from typing import Any

from sqlalchemy import CheckConstraint, ForeignKey, LargeBinary, String, UniqueConstraint, func
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column, relationship

from upholster.store.models.base import Base
from upholster.store.models.footage import Footage


class Family(Base):
    """Shots that are linked: what is changed of one is changed of all."""

    __tablename__ = "family"

    id: Mapped[int] = mapped_column(primary_key=True)


class Shot(Base):
    """One use of footage: its own recipe and history. `head` is the revision in force."""

    __tablename__ = "shot"

    id: Mapped[int] = mapped_column(primary_key=True)
    footage_id: Mapped[int] = mapped_column(ForeignKey("footage.id", ondelete="RESTRICT"), index=True)
    name: Mapped[str]
    head: Mapped[int] = mapped_column(default=1)
    #: How the Bench was left: frame, view, ground.
    bench: Mapped[dict[str, Any]] = mapped_column(default=dict)
    #: Findings that are not told of: a kind, and where it is only some of them, a box and frames.
    left_alone: Mapped[list[Any]] = mapped_column(JSONB, default=list)
    #: How many findings there were when all of a revision was measured, and the worst in words.
    summary: Mapped[dict[str, Any] | None]
    family_id: Mapped[int | None] = mapped_column(ForeignKey("family.id", ondelete="SET NULL"), index=True)
    #: Lines of the work order on which it goes its own way in its family.
    departs: Mapped[list[str]] = mapped_column(default=list)
    created_at: Mapped[datetime] = mapped_column(server_default=func.now())

    footage: Mapped[Footage] = relationship(back_populates="shots")


class Revision(Base):
    """One state of a shot's recipe; never changed. Undo goes to `parent`."""

    __tablename__ = "revision"
    __table_args__ = (
        UniqueConstraint("shot_id", "number"),
        CheckConstraint("(recipe IS NULL) <> (differences IS NULL)", "revision_whole_or_differences"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    shot_id: Mapped[int] = mapped_column(ForeignKey("shot.id", ondelete="RESTRICT"))
    number: Mapped[int]
    parent: Mapped[int | None]
    change: Mapped[str]
    #: The whole recipe; None where it is the parent's with `differences`.
    recipe: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    differences: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    #: How many revisions back the last whole one lies.
    depth: Mapped[int] = mapped_column(default=0)
    created_at: Mapped[datetime] = mapped_column(server_default=func.now())


class MeasuredFrame(Base):
    """What is wrong with a frame of a shot, as measured."""

    __tablename__ = "measured_frame"

    shot_id: Mapped[int] = mapped_column(ForeignKey("shot.id", ondelete="CASCADE"), primary_key=True)
    frame: Mapped[int] = mapped_column(primary_key=True)
    #: Names all that its pictures are made from; where that is another by now, it is stale.
    digest: Mapped[bytes] = mapped_column(LargeBinary(16))
    found: Mapped[dict[str, Any]]


class Drawing(Base):
    """A mask's outline over time, or a trace's strokes; recipes have them by the digest of their content."""

    __tablename__ = "drawing"

    sha256: Mapped[str] = mapped_column(String(64), primary_key=True)
    document: Mapped[Any] = mapped_column(JSONB)
    created_at: Mapped[datetime] = mapped_column(server_default=func.now())
