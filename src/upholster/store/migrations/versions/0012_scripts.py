"""Tokens by which scripts come in, and what they were answered when they made something."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision, down_revision = "0012", "0011"


def upgrade() -> None:
    op.create_table(
        "script_token",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("name", sa.Text, nullable=False, unique=True),
        sa.Column("digest", sa.LargeBinary(32), nullable=False, unique=True),
        sa.Column("created_at", sa.DateTime(timezone=True), server_default=sa.func.now(), nullable=False),
        sa.Column("used_at", sa.DateTime(timezone=True)),
    )
    op.create_table(
        "script_answer",
        sa.Column("token_id", sa.Integer, sa.ForeignKey("script_token.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("key", sa.Text, primary_key=True),
        sa.Column("asked", sa.LargeBinary(32), nullable=False),
        sa.Column("answer", JSONB, nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), server_default=sa.func.now(), nullable=False),
    )
