"""The way to the database."""

from collections.abc import Iterator
from contextlib import contextmanager
from functools import cache

from sqlalchemy import Engine, create_engine
from sqlalchemy.orm import Session

from upholster.config import config


def address() -> str:
    """libpq connection string of the project's database, from ``UPHOLSTER_DATABASE``."""
    return config().database


@cache
def engine() -> Engine:
    url = address().replace("postgresql://", "postgresql+psycopg://", 1)
    # A database that was restarted must not fail the next request on a dead connection.
    return create_engine(url, pool_pre_ping=True, pool_size=8)


@contextmanager
def session() -> Iterator[Session]:
    """One transaction: committed at the end of the block, rolled back on any error."""
    with Session(engine(), expire_on_commit=False) as opened, opened.begin():
        yield opened
