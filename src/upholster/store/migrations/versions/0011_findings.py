"""What was measured of the frames of shots, and what of it is left alone."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision, down_revision = "0011", "0010"


def upgrade() -> None:
    op.create_table(
        "measured_frame",
        sa.Column("shot_id", sa.Integer, sa.ForeignKey("shot.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("frame", sa.Integer, primary_key=True),
        sa.Column("digest", sa.LargeBinary(16), nullable=False),
        sa.Column("found", JSONB, nullable=False),
    )
    op.add_column("shot", sa.Column("summary", JSONB))
    op.add_column("shot", sa.Column("left_alone", JSONB, server_default="[]", nullable=False))
