"""Footage, shots, revisions, renders and clips."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import ARRAY, JSONB

revision = "0002"
down_revision = "0001"
branch_labels = depends_on = None

_now = sa.text("now()")
_time = sa.DateTime(timezone=True)


def _key() -> sa.Column[int]:
    return sa.Column("id", sa.Integer, primary_key=True)


def _of(table: str) -> sa.Column[int]:
    return sa.Column(f"{table}_id", sa.Integer, sa.ForeignKey(f"{table}.id", ondelete="CASCADE"), nullable=False)


def _text(name: str, **options: object) -> sa.Column[str]:
    return sa.Column(name, sa.Text, nullable=False, **options)  # type: ignore[arg-type]


def _number(name: str, kind: type = sa.Integer, default: str | None = None) -> sa.Column[int]:
    return sa.Column(name, kind, nullable=False, server_default=default)


def _created() -> sa.Column[object]:
    return sa.Column("created_at", _time, server_default=_now, nullable=False)


def upgrade() -> None:
    op.create_table(
        "footage",
        _key(),
        _text("sha256", unique=True),
        _text("name"),
        sa.Column("files", ARRAY(sa.Text), nullable=False),
        _number("bytes", sa.BigInteger),
        sa.Column("facts", JSONB, nullable=False),
        _text("state"),
        _text("problem"),
        _number("frames_read"),
        sa.Column("first_recipe", JSONB),
        sa.Column("sentences", ARRAY(sa.Text), nullable=False),
        _created(),
    )
    op.create_table(
        "shot",
        _key(),
        _of("footage"),
        _text("name"),
        _number("head"),
        sa.Column("bench", JSONB, nullable=False),
        _created(),
    )
    op.create_index("ix_shot_footage_id", "shot", ["footage_id"])
    op.create_table(
        "revision",
        _key(),
        _of("shot"),
        _number("number"),
        sa.Column("parent", sa.Integer),
        _text("change"),
        sa.Column("recipe", JSONB, nullable=False),
        _created(),
        sa.UniqueConstraint("shot_id", "number"),
    )
    op.create_table(
        "render",
        _key(),
        _of("shot"),
        _number("revision"),
        _text("name", unique=True),
        _text("format"),
        _text("alpha"),
        _text("state"),
        _text("problem"),
        _number("frames"),
        _number("frames_checked"),
        sa.Column("proof", JSONB),
        _created(),
        sa.Column("started_at", _time),
        sa.Column("finished_at", _time),
    )
    op.create_index("ix_render_shot_id", "render", ["shot_id"])
    op.create_index("ix_render_state", "render", ["state"])
    op.create_table(
        "render_range",
        sa.Column("render_id", sa.Integer, sa.ForeignKey("render.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("position", sa.Integer, primary_key=True),
        _number("first"),
        _number("end"),
        _number("frames_done"),
        sa.Column("done", sa.Boolean, nullable=False),
    )
    op.create_table(
        "clip",
        _key(),
        sa.Column("render_id", sa.Integer, sa.ForeignKey("render.id", ondelete="CASCADE"), nullable=False, unique=True),
        _text("name"),
        _text("file"),
        _number("bytes", sa.BigInteger),
        _number("width"),
        _number("height"),
        sa.Column("tags", ARRAY(sa.Text), nullable=False),
        sa.Column("deleted_at", _time),
        _created(),
    )
