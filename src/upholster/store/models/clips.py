"""Clips of the Stockroom."""

from datetime import datetime
from typing import Any

from sqlalchemy import BigInteger, CheckConstraint, FetchedValue, ForeignKey, Index, func
from sqlalchemy.dialects.postgresql import TSVECTOR
from sqlalchemy.orm import Mapped, mapped_column, relationship

from upholster.store.models.base import Base
from upholster.store.models.footage import Footage
from upholster.store.models.renders import Render


class Clip(Base):
    """A finished, reusable element: made here and proofed, or brought in as it is."""

    __tablename__ = "clip"
    __table_args__ = (
        CheckConstraint("(render_id IS NULL) <> (footage_id IS NULL)", "clip_made_or_brought_in"),
        Index("ix_clip_words", "words", postgresql_using="gin"),
        Index("ix_clip_tags", "tags", postgresql_using="gin"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    render_id: Mapped[int | None] = mapped_column(ForeignKey("render.id", ondelete="RESTRICT"), unique=True)
    footage_id: Mapped[int | None] = mapped_column(ForeignKey("footage.id", ondelete="RESTRICT"), unique=True)
    name: Mapped[str]
    file: Mapped[str]
    bytes: Mapped[int] = mapped_column(BigInteger)
    width: Mapped[int]
    height: Mapped[int]
    frames: Mapped[int]
    rate: Mapped[str]
    seconds: Mapped[float]
    #: straight or premultiplied; empty without alpha
    alpha: Mapped[str]
    #: What it was shot before: the kind of its screen; `fitting`, or `none` for what was brought in.
    ground: Mapped[str]
    sound: Mapped[bool]
    #: The format's name; the codec of what was brought in.
    format: Mapped[str]
    favourite: Mapped[bool] = mapped_column(default=False)
    notes: Mapped[str] = mapped_column(default="")
    tags: Mapped[list[str]] = mapped_column(default=list)
    #: All its words, as they are searched for.
    words: Mapped[Any | None] = mapped_column(TSVECTOR, FetchedValue(), deferred=True)
    deleted_at: Mapped[datetime | None]
    created_at: Mapped[datetime] = mapped_column(server_default=func.now())

    render: Mapped[Render | None] = relationship(foreign_keys=[render_id])
    footage: Mapped[Footage | None] = relationship()
