"""Watched folders, and what landed in them."""

from datetime import datetime
from typing import Any

from sqlalchemy import ForeignKey, func
from sqlalchemy.orm import Mapped, mapped_column, relationship

from upholster.store.models.base import Base, only
from upholster.store.models.renders import Render
from upholster.store.models.shots import Shot
from upholster.store.states import ArrivalState


class Watched(Base):
    """A folder of this machine in which plates land; what is made of them is laid there as well."""

    __tablename__ = "watched"

    id: Mapped[int] = mapped_column(primary_key=True)
    #: Relative to the folder that is allowed.
    folder: Mapped[str] = mapped_column(unique=True)
    #: Whose recipe is given to what lands; each has the one proposed for it where there is none.
    shot_id: Mapped[int | None] = mapped_column(ForeignKey("shot.id", ondelete="RESTRICT"))
    delivery: Mapped[dict[str, Any]]
    report: Mapped[bool] = mapped_column(default=False)
    on: Mapped[bool] = mapped_column(default=True)
    created_at: Mapped[datetime] = mapped_column(server_default=func.now())

    shot: Mapped[Shot | None] = relationship()


class Arrival(Base):
    """Something that landed in a watched folder, and what became of it."""

    __tablename__ = "arrival"
    __table_args__ = (only(ArrivalState, "arrival_state"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    watched_id: Mapped[int] = mapped_column(ForeignKey("watched.id", ondelete="CASCADE"), index=True)
    #: Of its file or folder.
    name: Mapped[str]
    state: Mapped[ArrivalState] = mapped_column(default=ArrivalState.LANDED)
    shot_id: Mapped[int | None] = mapped_column(ForeignKey("shot.id", ondelete="SET NULL"))
    render_id: Mapped[int | None] = mapped_column(ForeignKey("render.id", ondelete="SET NULL"))
    #: The name of what was made of it.
    made: Mapped[str] = mapped_column(default="")
    problem: Mapped[str] = mapped_column(default="")
    #: Whether it failed and could not be put out of the way.
    stays: Mapped[bool] = mapped_column(default=False)
    created_at: Mapped[datetime] = mapped_column(server_default=func.now())
    finished_at: Mapped[datetime | None]

    render: Mapped[Render | None] = relationship()
