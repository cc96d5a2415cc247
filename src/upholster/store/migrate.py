"""Bringing the database's schema up to date."""

from pathlib import Path

from alembic import command
from alembic.config import Config


def migrate() -> None:
    """Run every migration that has not been run."""
    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    command.upgrade(config, "head")
