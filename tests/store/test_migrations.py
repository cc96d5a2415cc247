"""A house of an older release keeps its renders when its schema is brought up to date."""

import json
from collections.abc import Iterator
from pathlib import Path

import pytest
from alembic import command
from alembic.config import Config
from sqlalchemy import Connection, create_engine, inspect, text

import upholster.store.migrations as folder
from conftest import House
from upholster.store import session
from upholster.store.models import Base


@pytest.fixture
def empty_database(house: House, monkeypatch: pytest.MonkeyPatch) -> Iterator[Connection]:
    """A database of its own in the house's PostgreSQL, which migrations then run in."""
    engine = session.engine().execution_options(isolation_level="AUTOCOMMIT")
    with engine.connect() as connection:
        connection.execute(text("DROP DATABASE IF EXISTS older"))
        connection.execute(text("CREATE DATABASE older"))
    other = create_engine(session.engine().url.set(database="older"))
    monkeypatch.setattr(session, "engine", lambda: other)
    with other.connect() as connection:
        yield connection
    other.dispose()
    with engine.connect() as connection:
        connection.execute(text("DROP DATABASE older WITH (FORCE)"))


def migrate(revision: str) -> None:
    config = Config()
    config.set_main_option("script_location", str(Path(next(iter(folder.__path__)))))
    command.upgrade(config, revision)


def test_renders_of_the_release_before_keep_their_format_ranges_and_clips(empty_database: Connection) -> None:
    migrate("0002")
    db = empty_database
    db.execute(text("INSERT INTO footage (sha256, name, files, bytes, facts, state, problem, frames_read, sentences)"
                    " VALUES ('a', 'moth', '{}', 1, '{}', 'ready', '', 0, '{}')"))  # fmt: skip
    db.execute(text("INSERT INTO shot (footage_id, name, head, bench) VALUES (1, 'moth', 1, '{}')"))
    for name, form, alpha in (("one", "ffv1", "premultiplied"), ("two", "vp9", "straight")):
        db.execute(
            text("INSERT INTO render (shot_id, revision, name, format, alpha, state, problem, frames, frames_checked)"
                 " VALUES (1, 1, :name, :form, :alpha, 'done', '', 24, 24)"),
            {"name": name, "form": form, "alpha": alpha},
        )  # fmt: skip
    db.execute(text("INSERT INTO render_range VALUES (2, 0, 0, 24, 24, true)"))
    db.commit()
    migrate("head")
    rows = db.execute(text("SELECT name, delivery, pass_id, place FROM render ORDER BY id")).all()
    assert [(r.name, r.delivery, r.place) for r in rows] == [
        ("one", {"format": "ffv1", "alpha": "premultiplied"}, 0),
        ("two", {"format": "vp9", "alpha": "straight"}, 0),
    ]
    ranges = db.execute(text('SELECT pass_id, first, "end", done FROM render_range')).all()
    assert [tuple(r) for r in ranges] == [(rows[1].pass_id, 0, 24, True)]
    # The next pass gets a number of its own.
    fresh = db.execute(text("INSERT INTO render_pass (shot_id) VALUES (1) RETURNING id")).scalar()
    assert fresh not in {r.pass_id for r in rows}
    assert json.dumps(rows[0].delivery)


def test_the_migrated_schema_is_the_one_the_models_describe(empty_database: Connection) -> None:
    migrate("head")
    found = inspect(empty_database)
    for table in Base.metadata.sorted_tables:
        columns = {c["name"]: c["nullable"] for c in found.get_columns(table.name)}
        assert columns == {c.name: bool(c.nullable) for c in table.columns}, table.name
