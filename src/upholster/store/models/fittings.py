"""Fittings and their states through time."""

from datetime import datetime
from typing import Any

from sqlalchemy import ForeignKey, UniqueConstraint, func
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column

from upholster.store.models.base import Base


class Fitting(Base):
    """Clips placed in layers over a ground. `head` is the revision in force."""

    __tablename__ = "fitting"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str]
    head: Mapped[int] = mapped_column(default=1)
    #: How its page was left: frame, delivery.
    view: Mapped[dict[str, Any]] = mapped_column(default=dict)
    created_at: Mapped[datetime] = mapped_column(server_default=func.now())


class FittingRevision(Base):
    """One state of a fitting; never changed. Undo goes to `parent`."""

    __tablename__ = "fitting_revision"
    __table_args__ = (UniqueConstraint("fitting_id", "number"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    fitting_id: Mapped[int] = mapped_column(ForeignKey("fitting.id", ondelete="CASCADE"))
    number: Mapped[int]
    parent: Mapped[int | None]
    change: Mapped[str]
    document: Mapped[dict[str, Any]] = mapped_column(JSONB)
    created_at: Mapped[datetime] = mapped_column(server_default=func.now())
