"""Bringing an older book up to date, step by step, all or nothing."""

from pathlib import Path

import sqlalchemy as sa
from alembic import command
from alembic.config import Config

from azven.book.edits import BookError


def configuration(connection: sa.Connection | None = None) -> Config:
    """Alembic's configuration for the migrations shipped here, running on `connection`."""
    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    config.attributes["connection"] = connection
    return config


def upgrade(engine: sa.Engine, path: Path) -> None:
    """Migrate to the newest revision; on failure the book stays as it was and BookError says so.

    Foreign keys are off while tables are rebuilt, or a rebuilt parent would take its children along.
    """
    with engine.connect() as connection:
        _foreign_keys(connection, "OFF")
        try:
            with connection.execution_options(writes=True).begin():
                command.upgrade(configuration(connection), "head")
                if connection.exec_driver_sql("PRAGMA foreign_key_check").fetchall():
                    raise BookError(f"{path} could not be brought up to date; it was left as it is.")
        finally:
            _foreign_keys(connection, "ON")


def _foreign_keys(connection: sa.Connection, state: str) -> None:
    """On the driver's own cursor: inside a transaction SQLite ignores this pragma without a word."""
    connection.connection.cursor().execute(f"PRAGMA foreign_keys = {state}")
