"""The tables. Nothing that a person made goes away because something else does: those keys restrict."""

from datetime import datetime
from enum import StrEnum
from typing import Any

from sqlalchemy import (
    BigInteger,
    CheckConstraint,
    DateTime,
    Enum,
    FetchedValue,
    ForeignKey,
    Index,
    LargeBinary,
    String,
    UniqueConstraint,
    func,
)
from sqlalchemy.dialects.postgresql import ARRAY, JSONB, TSVECTOR
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column, relationship
from sqlalchemy.types import Text

from upholster.store.states import ArrivalState, FootageState, ReadingState, RenderState, RunState


def _by_value(states: type[StrEnum]) -> Enum:
    """A column of text that reads and writes states by their value."""
    return Enum(states, native_enum=False, length=None, values_callable=lambda held: [state.value for state in held])


def _only(states: type[StrEnum], name: str) -> CheckConstraint:
    return CheckConstraint(f"state IN ({', '.join(repr(state.value) for state in states)})", name)


class Base(DeclarativeBase):
    type_annotation_map = {
        dict[str, Any]: JSONB,
        list[str]: ARRAY(Text),
        str: Text,
        datetime: DateTime(timezone=True),
        FootageState: _by_value(FootageState),
        ReadingState: _by_value(ReadingState),
        RenderState: _by_value(RenderState),
        RunState: _by_value(RunState),
        ArrivalState: _by_value(ArrivalState),
    }


class Footage(Base):
    """A file, still or image sequence as brought in; never modified."""

    __tablename__ = "footage"
    __table_args__ = (_only(FootageState, "footage_state"),)

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
    __table_args__ = (_only(ReadingState, "reading_state"),)

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


class TraceRun(Base):
    """One carrying of a trace's mattes over its span."""

    __tablename__ = "trace_run"
    __table_args__ = (_only(RunState, "trace_run_state"),)

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
        _only(RenderState, "render_state"),
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


class ScriptToken(Base):
    """By what a script, or a machine, comes in; only a digest of it is kept."""

    __tablename__ = "script_token"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(unique=True)
    digest: Mapped[bytes] = mapped_column(LargeBinary(32), unique=True)
    created_at: Mapped[datetime] = mapped_column(server_default=func.now())
    used_at: Mapped[datetime | None]


class ScriptAnswer(Base):
    """What a script was answered when it made something, by the key it gave, so that asking again makes nothing new."""

    __tablename__ = "script_answer"

    token_id: Mapped[int] = mapped_column(ForeignKey("script_token.id", ondelete="CASCADE"), primary_key=True)
    key: Mapped[str] = mapped_column(primary_key=True)
    #: A digest of what was asked.
    asked: Mapped[bytes] = mapped_column(LargeBinary(32))
    answer: Mapped[Any] = mapped_column(JSONB)
    created_at: Mapped[datetime] = mapped_column(server_default=func.now())


class Preset(Base):
    """A delivery kept under a name."""

    __tablename__ = "preset"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(unique=True)
    delivery: Mapped[dict[str, Any]]


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
    __table_args__ = (_only(ArrivalState, "arrival_state"),)

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
