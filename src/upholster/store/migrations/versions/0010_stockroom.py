"""Clips are found by words, tags and what they are; some were brought in; renders are made of clips, too."""

import sqlalchemy as sa
from alembic import op

revision, down_revision = "0010", "0009"

#: The words of a clip: its name, its notes and its tags, whatever stands between them.
_WORDS = """
CREATE FUNCTION clip_words(name text, notes text, tags text[]) RETURNS tsvector IMMUTABLE LANGUAGE sql AS $$
  SELECT to_tsvector('simple'::regconfig,
    regexp_replace(name || ' ' || notes || ' ' || array_to_string(tags, ' '), '[^[:alnum:]]+', ' ', 'g'))
$$
"""
_KNOWN = """
UPDATE clip SET
  frames = render.frames,
  rate = coalesce(render.proof->>'rate', '24'),
  alpha = CASE WHEN render.proof->>'content' = 'keyed' THEN render.proof->>'alpha_kind' ELSE '' END,
  sound = coalesce((render.delivery->>'sound')::boolean, false),
  format = render.delivery->>'format',
  ground = coalesce(
    (SELECT footage.first_recipe->'screen'->>'kind' FROM shot JOIN footage ON footage.id = shot.footage_id
     WHERE shot.id = render.shot_id), 'fitting')
FROM render WHERE render.id = clip.render_id
"""
_SECONDS = "frames / (split_part(rate, '/', 1)::float / coalesce(nullif(split_part(rate, '/', 2), '')::float, 1))"


def upgrade() -> None:
    op.add_column("render", sa.Column("clip_id", sa.Integer, sa.ForeignKey("clip.id", ondelete="SET NULL")))
    op.add_column("render", sa.Column("layer", sa.Text, server_default="", nullable=False))
    op.create_index("ix_render_clip_id", "render", ["clip_id"])
    op.drop_constraint("render_of_shot_or_fitting", "render")
    op.create_check_constraint("render_of_shot_or_fitting", "render", "num_nonnulls(shot_id, fitting_id) <= 1")
    for column in (
        sa.Column("frames", sa.Integer, server_default="1", nullable=False),
        sa.Column("rate", sa.Text, server_default="24", nullable=False),
        sa.Column("seconds", sa.Float, server_default="0", nullable=False),
        sa.Column("alpha", sa.Text, server_default="", nullable=False),
        sa.Column("ground", sa.Text, server_default="none", nullable=False),
        sa.Column("sound", sa.Boolean, server_default="false", nullable=False),
        sa.Column("format", sa.Text, server_default="", nullable=False),
        sa.Column("favourite", sa.Boolean, server_default="false", nullable=False),
        sa.Column("notes", sa.Text, server_default="", nullable=False),
        sa.Column("footage_id", sa.Integer, sa.ForeignKey("footage.id", ondelete="RESTRICT"), unique=True),
    ):
        op.add_column("clip", column)
    op.execute(_KNOWN)
    op.execute(_WORDS)
    op.execute(f"UPDATE clip SET seconds = {_SECONDS}")
    op.execute("ALTER TABLE clip ADD COLUMN words tsvector GENERATED ALWAYS AS (clip_words(name, notes, tags)) STORED")
    op.create_index("ix_clip_words", "clip", ["words"], postgresql_using="gin")
    op.create_index("ix_clip_tags", "clip", ["tags"], postgresql_using="gin")
    op.alter_column("clip", "render_id", nullable=True)
    op.create_check_constraint("clip_made_or_brought_in", "clip", "(render_id IS NULL) <> (footage_id IS NULL)")
    op.add_column("footage", sa.Column("stock_wanted", sa.Boolean, server_default="false", nullable=False))
    op.add_column("footage", sa.Column("stock_problem", sa.Text, server_default="", nullable=False))
