"""Renders hold a whole delivery, share passes over the pictures, and can be put in order; own presets."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision, down_revision = "0003", "0002"


def upgrade() -> None:
    op.create_table(
        "render_pass",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("shot_id", sa.Integer, sa.ForeignKey("shot.id", ondelete="CASCADE"), nullable=False, index=True),
    )
    op.add_column("render", sa.Column("delivery", JSONB))
    op.execute("UPDATE render SET delivery = jsonb_build_object('format', format, 'alpha', alpha)")
    op.alter_column("render", "delivery", nullable=False)
    op.drop_column("render", "format")
    op.drop_column("render", "alpha")
    op.add_column("render", sa.Column("place", sa.Integer, nullable=False, server_default="0"))
    op.add_column("render", sa.Column("frames_encoded", sa.Integer, nullable=False, server_default="0"))
    op.add_column("render", sa.Column("pass_id", sa.Integer, sa.ForeignKey("render_pass.id")))
    op.execute("INSERT INTO render_pass (id, shot_id) SELECT id, shot_id FROM render")
    op.execute("SELECT setval('render_pass_id_seq', greatest(1, (SELECT max(id) FROM render_pass)))")
    op.execute("UPDATE render SET pass_id = id")
    op.alter_column("render", "pass_id", nullable=False)
    op.create_index("ix_render_pass_id", "render", ["pass_id"])
    op.drop_constraint("render_range_render_id_fkey", "render_range", type_="foreignkey")
    op.alter_column("render_range", "render_id", new_column_name="pass_id")
    op.create_foreign_key(
        "render_range_pass_id_fkey", "render_range", "render_pass", ["pass_id"], ["id"], ondelete="CASCADE"
    )
    op.drop_column("render", "frames_checked")
    op.create_table(
        "render_check",
        sa.Column("render_id", sa.Integer, sa.ForeignKey("render.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("position", sa.Integer, primary_key=True),
        sa.Column("first", sa.Integer, nullable=False),
        sa.Column("end", sa.Integer, nullable=False),
        sa.Column("frames_done", sa.Integer, nullable=False),
        sa.Column("found", JSONB),
    )
    op.create_table(
        "preset",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("name", sa.Text, nullable=False, unique=True),
        sa.Column("delivery", JSONB, nullable=False),
    )
