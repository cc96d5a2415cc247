"""A house of an older release keeps its renders when its schema is brought up to date."""

import gzip
import json
from collections.abc import Iterator
from pathlib import Path

import pytest
from alembic import command
from alembic.config import Config
from cachetools import LRUCache
from sqlalchemy import Connection, create_engine, func, inspect, select, text
from sqlalchemy.orm import Session

import upholster.store.migrations as folder
from conftest import House
from upholster.core.documents.recipe import read_recipe
from upholster.media.delivery import read_delivery
from upholster.media.facts import Facts
from upholster.store import session
from upholster.store.models import Base, Clip, Footage, Preset, Render, Revision, Shot
from upholster.studio.shots import revisions
from upholster.studio.shots.revisions import recipe_at


@pytest.fixture
def empty_database(house: House, monkeypatch: pytest.MonkeyPatch) -> Iterator[Connection]:
    """A database of its own in the house's PostgreSQL, which migrations then run in."""
    engine = session.engine().execution_options(isolation_level="AUTOCOMMIT")
    with engine.connect() as connection:
        connection.execute(text("DROP DATABASE IF EXISTS older"))
        connection.execute(text("CREATE DATABASE older"))
    other = create_engine(session.engine().url.set(database="older"))
    monkeypatch.setattr(revisions, "_known", LRUCache(500))
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
        ("one", {"format": "ffv1", "alpha": "premultiplied", "version": 2}, 0),
        ("two", {"format": "vp9", "alpha": "straight", "version": 2}, 0),
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


def test_a_house_of_release_0_1_opens_with_all_that_was_made_in_it(empty_database: Connection) -> None:
    """`release-0.1.sql.gz` is what that release left: the demo, a changed shot, a render at half speed."""
    raw = empty_database.connection.driver_connection
    assert raw is not None
    script = gzip.decompress((Path(__file__).parent / "release-0.1.sql.gz").read_bytes()).decode()
    raw.execute(script)
    raw.execute("SELECT pg_catalog.set_config('search_path', 'public', false)")
    raw.commit()
    migrate("head")
    with Session(empty_database) as db:
        recipes = {(r.shot_id, r.number): recipe_at(db, r.shot_id, r.number) for r in db.scalars(select(Revision))}
        changed = recipes[1, 2]
        assert changed.edge.choke == 1.5 and changed.qualifier.saturation_low == 0.1
        keys = [tuple(dict(key).values()) for key in changed.matte.black_point]  # type: ignore[union-attr]
        assert keys == [(0, 0.02, "linear"), (30, 0.1, "hold")]
        assert all(recipe.screen.kind != "none" for (shot, _), recipe in recipes.items() if shot != 3)
        renders = {r.name: r for r in db.scalars(select(Render))}
        assert {r.state for r in renders.values()} == {"done"} and len(renders) == 4
        for name, render in renders.items():
            read_delivery(render.delivery)
            take = recipes[render.shot_id, render.revision].take
            assert (take.speed, take.between) == ((50, "blend") if name == "slow" else (100, "repeat"))
        assert recipes[1, renders["slow"].revision].edge.choke == 1.5
        # What is in force stays in force.
        assert db.get_one(Shot, 1).head == 2
        assert read_delivery(db.scalars(select(Preset)).one().delivery).format == "prores4444"
        for clip in db.scalars(select(Clip)):
            assert clip.render is not None and clip.frames == clip.render.frames
            assert clip.seconds == pytest.approx(clip.frames / 24) and clip.format == clip.render.delivery["format"]
            assert clip.ground in ("screen", "dark", "none") and clip.alpha in ("straight", "premultiplied", "")
        found = db.scalars(select(Clip.name).where(Clip.words.bool_op("@@")(func.to_tsquery("simple", "slo:*"))))
        assert list(found) == ["slow"]
        for footage in db.scalars(select(Footage)):
            Facts.model_validate(footage.facts)
            read_recipe(footage.first_recipe)
