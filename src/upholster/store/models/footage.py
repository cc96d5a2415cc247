"""Footage and how it was read."""

from datetime import datetime
from typing import TYPE_CHECKING, Any

from sqlalchemy import BigInteger, ForeignKey, func
from sqlalchemy.orm import Mapped, mapped_column, relationship

from upholster.store.models.base import Base, only
from upholster.store.states import FootageState, ReadingState

if TYPE_CHECKING:
    from upholster.store.models.shots import Shot


class Footage(Base):
    """A file, still or image sequence as brought in; never modified."""

    __tablename__ = "footage"
    __table_args__ = (only(FootageState, "footage_state"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    sha256: Mapped[str] = mapped_column(unique=True)
    name: Mapped[str]
    files: Mapped[list[str]]
    bytes: Mapped[int] = mapped_column(BigInteger)
    #: As the reading in force has them; of the file alone until there is one.
    facts: Mapped[dict[str, Any]]
    #: reading, ready or failed
    state: Mapped[FootageState] = mapped_column(default=FootageState.READING)
    #: The reading whose pictures are shown; none before the first is complete, or where it is older than readings.
    reading_id: Mapped[int | None]
    first_recipe: Mapped[dict[str, Any] | None]
    sentences: Mapped[list[str]] = mapped_column(default=list)
    created_at: Mapped[datetime] = mapped_column(server_default=func.now())

    #: Whether it is to be kept as a clip of the stockroom, and why it was not.
    stock_wanted: Mapped[bool] = mapped_column(default=False)
    stock_problem: Mapped[str] = mapped_column(default="")

    shots: Mapped[list["Shot"]] = relationship(back_populates="footage", order_by="Shot.id")
    readings: Mapped[list["Reading"]] = relationship(back_populates="footage", order_by="Reading.id")

    @property
    def pending(self) -> "Reading | None":
        """The newest reading, where it is not complete."""
        newest = self.readings[-1] if self.readings else None
        return newest if newest and newest.state != "complete" else None


class Reading(Base):
    """One reading-through of footage with its alpha taken in one way; what is in force stays until it is complete."""

    __tablename__ = "reading"
    __table_args__ = (only(ReadingState, "reading_state"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    footage_id: Mapped[int] = mapped_column(ForeignKey("footage.id", ondelete="RESTRICT"), index=True)
    facts: Mapped[dict[str, Any]]
    #: reading; waiting for renders of the footage to end; complete; or failed
    state: Mapped[ReadingState] = mapped_column(default=ReadingState.READING)
    problem: Mapped[str] = mapped_column(default="")
    frames_read: Mapped[int] = mapped_column(default=0)
    first_recipe: Mapped[dict[str, Any] | None]
    sentences: Mapped[list[str]] = mapped_column(default=list)
    created_at: Mapped[datetime] = mapped_column(server_default=func.now())

    footage: Mapped[Footage] = relationship(back_populates="readings")
