"""The tables of a new book, and bringing an older one up to date, step by step, all or nothing."""

from pathlib import Path

import sqlalchemy as sa
from alembic import command
from alembic.config import Config

from azven.book.engines import REVISION, Engine
from azven.book.tables import counter, metadata, revision


def make_tables(connection: sa.Connection) -> None:
    """All tables in an empty database."""
    metadata.create_all(connection, checkfirst=False)
    revision.create(connection, checkfirst=False)
    connection.execute(sa.insert(revision).values(version_num=REVISION))
    connection.execute(sa.insert(counter).values(next_id=1))


def configuration(connection: sa.Connection | None = None) -> Config:
    """Alembic's configuration for the migrations shipped here, running on `connection`."""
    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    config.attributes["connection"] = connection
    return config


def upgrade(engine: Engine, to: str = "head") -> None:
    """Migrate to the newest revision; on failure the book stays as it was and BookError says so."""
    with engine.migrating() as connection:
        command.upgrade(configuration(connection), to)
        if to == "head":
            engine.make_searchable(connection, anew=True)
            engine.give_rights_again(connection)
