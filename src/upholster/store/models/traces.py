"""Traces that were carried, and what is known of their mattes."""

from datetime import datetime
from typing import Any

from sqlalchemy import ForeignKey, String, func
from sqlalchemy.orm import Mapped, mapped_column

from upholster.store.models.base import Base, only
from upholster.store.states import RunState


class TraceRun(Base):
    """One carrying of a trace's mattes over its span."""

    __tablename__ = "trace_run"
    __table_args__ = (only(RunState, "trace_run_state"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    shot_id: Mapped[int] = mapped_column(ForeignKey("shot.id", ondelete="CASCADE"), index=True)
    #: The trace's mark in the recipe.
    mark: Mapped[str]
    #: The trace as it was when the run was asked for, its strokes by their digest.
    trace: Mapped[dict[str, Any]]
    state: Mapped[RunState] = mapped_column(default=RunState.RUNNING, index=True)
    frames: Mapped[int]
    frames_done: Mapped[int] = mapped_column(default=0)
    problem: Mapped[str] = mapped_column(default="")
    created_at: Mapped[datetime] = mapped_column(server_default=func.now())
    started_at: Mapped[datetime | None]


class Bake(Base):
    """What is known of a matte that was made ahead; the matte itself lies beside its footage."""

    __tablename__ = "bake"

    digest: Mapped[str] = mapped_column(String(64), primary_key=True)
    #: How unsure it is, 0 to 1.
    doubt: Mapped[float]
