"""Renders: what is made, in which passes, and how it is checked."""

from datetime import datetime
from typing import Any

from sqlalchemy import CheckConstraint, ForeignKey, func
from sqlalchemy.orm import Mapped, mapped_column, relationship

from upholster.store.models.base import Base, only
from upholster.store.models.fittings import Fitting
from upholster.store.models.shots import Shot
from upholster.store.states import RenderState


class RenderPass(Base):
    """One going over the pictures of a shot or a fitting, for one render or several that show the same frames."""

    __tablename__ = "render_pass"

    id: Mapped[int] = mapped_column(primary_key=True)
    shot_id: Mapped[int | None] = mapped_column(ForeignKey("shot.id", ondelete="RESTRICT"), index=True)

    ranges: Mapped[list["RenderRange"]] = relationship(
        order_by="RenderRange.position", cascade="all, delete-orphan", passive_deletes=True
    )
    renders: Mapped[list["Render"]] = relationship(back_populates="made_in", order_by="Render.id")


class Render(Base):
    """One making of a file from a revision of a shot or of a fitting, or from a clip that was made of one before."""

    __tablename__ = "render"
    __table_args__ = (
        only(RenderState, "render_state"),
        CheckConstraint("num_nonnulls(shot_id, fitting_id) <= 1", "render_of_shot_or_fitting"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    shot_id: Mapped[int | None] = mapped_column(ForeignKey("shot.id", ondelete="RESTRICT"), index=True)
    fitting_id: Mapped[int | None] = mapped_column(ForeignKey("fitting.id", ondelete="RESTRICT"), index=True)
    #: The clip whose file it is made from, as long as that is here; one that was brought in has neither of the above.
    clip_id: Mapped[int | None] = mapped_column(ForeignKey("clip.id", ondelete="SET NULL", use_alter=True), index=True)
    #: Of a fitting: the mark of the one layer that is wanted, at the fitting's size; empty for all.
    layer: Mapped[str] = mapped_column(default="")
    #: Of a fitting: the shots it is made from, by their number, and the revision of each at the time it was ordered.
    pinned: Mapped[dict[str, Any]] = mapped_column(default=dict)
    pass_id: Mapped[int] = mapped_column(ForeignKey("render_pass.id", ondelete="RESTRICT"), index=True)
    revision: Mapped[int]
    name: Mapped[str] = mapped_column(unique=True)
    delivery: Mapped[dict[str, Any]]
    #: running, encoding, checking, done, failed or cancelled
    state: Mapped[RenderState] = mapped_column(default=RenderState.RUNNING, index=True)
    #: Renders with a higher place are worked on first.
    place: Mapped[int] = mapped_column(default=0)
    problem: Mapped[str] = mapped_column(default="")
    frames: Mapped[int]
    frames_encoded: Mapped[int] = mapped_column(default=0)
    #: Whether it was taken from the list of renders, once it had ended.
    cleared: Mapped[bool] = mapped_column(default=False)
    proof: Mapped[dict[str, Any] | None]
    created_at: Mapped[datetime] = mapped_column(server_default=func.now())
    started_at: Mapped[datetime | None]
    finished_at: Mapped[datetime | None]

    shot: Mapped[Shot | None] = relationship()
    fitting: Mapped[Fitting | None] = relationship()
    made_in: Mapped[RenderPass] = relationship(back_populates="renders")
    checks: Mapped[list["RenderCheck"]] = relationship(order_by="RenderCheck.position", cascade="all, delete-orphan")

    @property
    def ranges(self) -> list["RenderRange"]:
        return self.made_in.ranges


class RenderRange(Base):
    """A run of delivered frames made by one job."""

    __tablename__ = "render_range"

    pass_id: Mapped[int] = mapped_column(ForeignKey("render_pass.id", ondelete="CASCADE"), primary_key=True)
    position: Mapped[int] = mapped_column(primary_key=True)
    first: Mapped[int]
    end: Mapped[int]
    frames_done: Mapped[int] = mapped_column(default=0)
    done: Mapped[bool] = mapped_column(default=False)


class RenderCheck(Base):
    """A run of a finished file's frames that one job reads back and compares."""

    __tablename__ = "render_check"

    render_id: Mapped[int] = mapped_column(ForeignKey("render.id", ondelete="CASCADE"), primary_key=True)
    position: Mapped[int] = mapped_column(primary_key=True)
    first: Mapped[int]
    end: Mapped[int]
    frames_done: Mapped[int] = mapped_column(default=0)
    found: Mapped[dict[str, Any] | None]


class Preset(Base):
    """A delivery kept under a name."""

    __tablename__ = "preset"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(unique=True)
    delivery: Mapped[dict[str, Any]]
