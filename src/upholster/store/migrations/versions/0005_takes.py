"""Speed belongs to a shot's take instead of a delivery; revisions are kept as differences."""

from typing import Any

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

from upholster.core.documents.migrations import standard_names

revision, down_revision = "0005", "0004"

_Row = dict[str, Any]


def upgrade() -> None:
    op.alter_column("revision", "recipe", nullable=True)
    op.add_column("revision", sa.Column("differences", JSONB))
    op.add_column("revision", sa.Column("depth", sa.Integer, nullable=False, server_default="0"))
    op.create_check_constraint("revision_whole_or_differences", "revision", "(recipe IS NULL) <> (differences IS NULL)")
    db = op.get_bind()
    for row in db.execute(sa.text("SELECT * FROM render ORDER BY id")).mappings().all():
        delivery, speed = _parted(row["delivery"])
        if speed != {"speed": 100, "between": "repeat"}:
            _with_speed(db, dict(row), speed)
        _update(db, "render", row["id"], delivery)
    for row in db.execute(sa.text("SELECT id, delivery FROM preset")).mappings().all():
        _update(db, "preset", row["id"], _parted(row["delivery"])[0])
    # What the Bench remembers of a delivery is only a wish: its speed is let go.
    op.execute(
        "UPDATE shot SET bench = jsonb_set(bench, '{delivery}', (bench->'delivery') - 'speed' - 'missing') "
        "WHERE jsonb_typeof(bench->'delivery') = 'object'"
    )


def _parted(delivery: _Row) -> tuple[_Row, _Row]:
    """A delivery of version 2, and what it said of its take."""
    kept = {name: value for name, value in delivery.items() if name not in ("speed", "missing")}
    # Kept in bounds, as takes are: a tenth to ten times the speed.
    speed = min(1000, max(10, delivery.get("speed", 100)))
    return kept | {"version": 2}, {"speed": speed, "between": delivery.get("missing", "repeat")}


def _with_speed(db: sa.Connection, render: _Row, speed: _Row) -> None:
    """Give a render's recipe its speed, as a revision beside the one it was ordered from."""
    here = {"shot": render["shot_id"], "number": render["revision"]}
    found = db.execute(
        sa.text("SELECT recipe FROM revision WHERE shot_id = :shot AND number = :number"), here
    ).scalar_one_or_none()
    if found is None:
        return
    recipe = standard_names(found)
    recipe["take"] = {**recipe.get("take", {}), **speed}
    number = db.execute(sa.text("SELECT max(number) + 1 FROM revision WHERE shot_id = :shot"), here).scalar_one()
    insert = sa.text(
        "INSERT INTO revision (shot_id, number, parent, change, recipe) VALUES (:shot, :new, :number, :change, :recipe)"
    ).bindparams(sa.bindparam("recipe", type_=JSONB))
    change = f"At {speed['speed']} % speed, as {render['name']} was delivered"
    db.execute(insert, {**here, "new": number, "change": change, "recipe": recipe})
    db.execute(sa.text("UPDATE render SET revision = :new WHERE id = :id"), {"new": number, "id": render["id"]})


def _update(db: sa.Connection, table: str, row: int, delivery: _Row) -> None:
    statement = sa.text(f"UPDATE {table} SET delivery = :delivery WHERE id = :id")
    db.execute(statement.bindparams(sa.bindparam("delivery", type_=JSONB)), {"delivery": delivery, "id": row})
