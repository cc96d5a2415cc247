"""Folders that are watched, and what landed in them."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision, down_revision = "0014", "0013"

_STATES = "'landed', 'reading', 'making', 'measuring', 'done', 'failed'"


def upgrade() -> None:
    op.create_table(
        "watched",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("folder", sa.Text, nullable=False, unique=True),
        sa.Column("shot_id", sa.Integer, sa.ForeignKey("shot.id", ondelete="RESTRICT")),
        sa.Column("delivery", JSONB, nullable=False),
        sa.Column("report", sa.Boolean, nullable=False),
        sa.Column("on", sa.Boolean, nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), server_default=sa.func.now(), nullable=False),
    )
    op.create_table(
        "arrival",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("watched_id", sa.Integer, sa.ForeignKey("watched.id", ondelete="CASCADE"), nullable=False),
        sa.Column("name", sa.Text, nullable=False),
        sa.Column("state", sa.Text, nullable=False),
        sa.Column("shot_id", sa.Integer, sa.ForeignKey("shot.id", ondelete="SET NULL")),
        sa.Column("render_id", sa.Integer, sa.ForeignKey("render.id", ondelete="SET NULL")),
        sa.Column("made", sa.Text, nullable=False),
        sa.Column("problem", sa.Text, nullable=False),
        sa.Column("stays", sa.Boolean, nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), server_default=sa.func.now(), nullable=False),
        sa.Column("finished_at", sa.DateTime(timezone=True)),
        sa.CheckConstraint(f"state IN ({_STATES})", "arrival_state"),
    )
    op.create_index("ix_arrival_watched_id", "arrival", ["watched_id"])
