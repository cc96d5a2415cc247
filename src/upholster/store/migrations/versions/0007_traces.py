"""Traces: strokes are kept as outlines are, their mattes are made by runs."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision, down_revision = "0007", "0006"


def upgrade() -> None:
    op.rename_table("outline", "drawing")
    op.execute("ALTER INDEX outline_pkey RENAME TO drawing_pkey")
    op.create_table(
        "trace_run",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("shot_id", sa.Integer, sa.ForeignKey("shot.id", ondelete="CASCADE"), nullable=False, index=True),
        sa.Column("mark", sa.Text, nullable=False),
        sa.Column("trace", JSONB, nullable=False),
        sa.Column("state", sa.Text, nullable=False, index=True),
        sa.Column("frames", sa.Integer, nullable=False),
        sa.Column("frames_done", sa.Integer, nullable=False),
        sa.Column("problem", sa.Text, nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), server_default=sa.func.now(), nullable=False),
        sa.Column("started_at", sa.DateTime(timezone=True)),
        sa.CheckConstraint("state IN ('running', 'done', 'failed', 'cancelled')", "trace_run_state"),
    )
    op.create_table(
        "bake",
        sa.Column("digest", sa.String(64), primary_key=True),
        sa.Column("doubt", sa.Float, nullable=False),
    )
