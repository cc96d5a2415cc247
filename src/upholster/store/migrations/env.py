"""Alembic's way in: the project's own engine, one transaction for all migrations."""

from alembic import context

from upholster.store.models import Base
from upholster.store.session import engine

with engine().connect() as connection:
    context.configure(connection=connection, target_metadata=Base.metadata)
    with context.begin_transaction():
        context.run_migrations()
