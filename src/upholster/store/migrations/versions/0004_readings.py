"""Footage is read into rows of their own; no cascade takes what people made; states are checked."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import ARRAY, JSONB

revision, down_revision = "0004", "0003"

#: Keys that used to take along what points to a row that goes away: table, column, what it points to.
_RESTRICTED = [
    ("shot", "footage_id", "footage"),
    ("revision", "shot_id", "shot"),
    ("render", "shot_id", "shot"),
    ("render", "pass_id", "render_pass"),
    ("render_pass", "shot_id", "shot"),
    ("clip", "render_id", "render"),
]


def upgrade() -> None:
    for table, column, target in _RESTRICTED:
        name = f"{table}_{column}_fkey"
        op.drop_constraint(name, table, type_="foreignkey")
        op.create_foreign_key(name, table, target, [column], ["id"], ondelete="RESTRICT")
    op.create_table(
        "reading",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("footage_id", sa.Integer, sa.ForeignKey("footage.id", ondelete="RESTRICT"), nullable=False),
        sa.Column("facts", JSONB, nullable=False),
        sa.Column("state", sa.Text, nullable=False),
        sa.Column("problem", sa.Text, nullable=False),
        sa.Column("frames_read", sa.Integer, nullable=False),
        sa.Column("first_recipe", JSONB),
        sa.Column("sentences", ARRAY(sa.Text), nullable=False, server_default="{}"),
        sa.Column("created_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.CheckConstraint("state IN ('reading', 'waiting', 'complete', 'failed')", "reading_state"),
    )
    op.create_index("ix_reading_footage_id", "reading", ["footage_id"])
    op.add_column("footage", sa.Column("reading_id", sa.Integer))
    # What was not ready is read again, or keeps the sentence that says why not.
    op.execute(
        "INSERT INTO reading (footage_id, facts, state, problem, frames_read) "
        "SELECT id, facts, state, problem, 0 FROM footage WHERE state IN ('reading', 'failed')"
    )
    # The first recipe is a shot's from the start, not from its first being opened.
    op.execute(
        "INSERT INTO revision (shot_id, number, change, recipe) SELECT shot.id, 1, 'First look', first_recipe "
        "FROM shot JOIN footage ON footage.id = footage_id WHERE head = 0 AND state = 'ready'"
    )
    op.execute("UPDATE shot SET head = 1 WHERE head = 0 AND id IN (SELECT shot_id FROM revision)")
    op.drop_column("footage", "problem")
    op.drop_column("footage", "frames_read")
    op.create_check_constraint("footage_state", "footage", "state IN ('reading', 'ready', 'failed')")
    op.create_check_constraint(
        "render_state", "render", "state IN ('running', 'encoding', 'checking', 'done', 'failed', 'cancelled')"
    )
