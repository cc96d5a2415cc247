"""Renders that have ended can be cleared from the list."""

import sqlalchemy as sa
from alembic import op

revision, down_revision = "0008", "0007"


def upgrade() -> None:
    op.add_column("render", sa.Column("cleared", sa.Boolean, server_default=sa.false(), nullable=False))
