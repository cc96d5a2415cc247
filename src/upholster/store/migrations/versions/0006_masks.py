"""Outlines of masks are kept by their content."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision, down_revision = "0006", "0005"


def upgrade() -> None:
    op.create_table(
        "outline",
        sa.Column("sha256", sa.String(64), primary_key=True),
        sa.Column("document", JSONB, nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), server_default=sa.func.now(), nullable=False),
    )
