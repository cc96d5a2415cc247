"""Fittings: clips placed in layers over a ground, with revisions of their own; renders are made of them, too."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision, down_revision = "0009", "0008"


def upgrade() -> None:
    op.create_table(
        "fitting",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("name", sa.Text, nullable=False),
        sa.Column("head", sa.Integer, nullable=False),
        sa.Column("view", JSONB, nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), server_default=sa.func.now(), nullable=False),
    )
    op.create_table(
        "fitting_revision",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("fitting_id", sa.Integer, sa.ForeignKey("fitting.id", ondelete="CASCADE"), nullable=False),
        sa.Column("number", sa.Integer, nullable=False),
        sa.Column("parent", sa.Integer),
        sa.Column("change", sa.Text, nullable=False),
        sa.Column("document", JSONB, nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), server_default=sa.func.now(), nullable=False),
        sa.UniqueConstraint("fitting_id", "number"),
    )
    op.alter_column("render_pass", "shot_id", nullable=True)
    op.alter_column("render", "shot_id", nullable=True)
    op.add_column("render", sa.Column("fitting_id", sa.Integer, sa.ForeignKey("fitting.id", ondelete="RESTRICT")))
    op.create_index("ix_render_fitting_id", "render", ["fitting_id"])
    op.add_column("render", sa.Column("pinned", JSONB, server_default="{}", nullable=False))
    op.create_check_constraint("render_of_shot_or_fitting", "render", "(shot_id IS NULL) <> (fitting_id IS NULL)")
