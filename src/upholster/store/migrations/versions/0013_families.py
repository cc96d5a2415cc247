"""Shots that are linked, and the lines on which each of them departs."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import ARRAY

revision, down_revision = "0013", "0012"


def upgrade() -> None:
    op.create_table("family", sa.Column("id", sa.Integer, primary_key=True))
    op.add_column("shot", sa.Column("family_id", sa.Integer, sa.ForeignKey("family.id", ondelete="SET NULL")))
    op.add_column("shot", sa.Column("departs", ARRAY(sa.Text), server_default="{}", nullable=False))
    op.create_index("ix_shot_family_id", "shot", ["family_id"])
