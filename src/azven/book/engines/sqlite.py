"""A book in a SQLite file. It is read through the driver alone; SQLAlchemy is loaded by the first write."""

import os
import sqlite3
from collections.abc import Iterator, Mapping, Sequence
from contextlib import closing, contextmanager
from datetime import UTC, datetime
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING, Any

from azven.book.columns import LARGE, Sort, columns, table_name
from azven.book.edits import BookError
from azven.book.engines import searching
from azven.book.engines.book_files import APPLICATION_ID, closed, explained, let_go, look_before_opening, opened
from azven.book.engines.rights import Rights
from azven.book.engines.searching import UNIT_BITS, words_of
from azven.book.formats.whole import written_whole
from azven.book.place import File
from azven.book.records import Deed, Hour, Record, Trace

if TYPE_CHECKING:
    import sqlalchemy as sa

_LAST_LETTER = "\U0010ffff"
_RIGHTS = 0o600
"""A book is its owner's alone."""


class SqliteFile:
    """The database of a book in a file; see `Engine`."""

    mark = "?"

    def __init__(self, place: File) -> None:
        self.place = place
        self._version = -1
        self._connection = sqlite3.connect(place.path, check_same_thread=False, isolation_level=None)
        self._open: tuple[int, int] | None = opened(place.path)
        for setting in ("busy_timeout = 5000", "foreign_keys = ON", "journal_mode = WAL", "synchronous = FULL"):
            self._connection.execute(f"PRAGMA {setting}")
        self._connection.create_function("lower", 1, _lower, deterministic=True)  # SQLite's own knows A to Z alone

    @classmethod
    def found(cls, place: File) -> "SqliteFile":
        look_before_opening(place.path)
        return cls._connected(place)

    @classmethod
    def _connected(cls, place: File) -> "SqliteFile":
        try:
            return cls(place)
        except sqlite3.DatabaseError as error:
            raise BookError(explained(error, place)) from error

    @classmethod
    def fresh(cls, place: File) -> "SqliteFile":
        path = place.path
        if path.exists():
            raise BookError(f"{path} exists already; nothing was changed.")
        if not path.parent.is_dir():
            raise BookError(f"{path.parent} is not a folder; no book was made.")
        try:
            os.close(os.open(path, os.O_CREAT | os.O_EXCL | os.O_WRONLY, _RIGHTS))
        except OSError as error:
            raise BookError(
                f"{path} cannot be opened or made there ({error.strerror}); nothing was changed."
            ) from error
        return cls._connected(place)

    @property
    def errors(self) -> tuple[type[Exception], ...]:
        if "_alchemy" not in self.__dict__:
            return (sqlite3.DatabaseError,)
        from sqlalchemy.exc import DatabaseError

        return (sqlite3.DatabaseError, DatabaseError)

    @cached_property
    def _alchemy(self) -> "sa.Engine":
        import sqlalchemy as sa

        engine = sa.create_engine("sqlite://", poolclass=sa.StaticPool, creator=lambda: self._connection)

        @sa.event.listens_for(engine, "begin")
        def _begin(connection: sa.Connection) -> None:
            connection.exec_driver_sql("BEGIN IMMEDIATE")

        return engine

    def moment(self, value: datetime) -> str:
        return value.astimezone(UTC).strftime("%Y-%m-%d %H:%M:%S.%f")

    def letters(self, column: str) -> str:
        return f'"{column}" COLLATE NOCASE'

    def begins(self, column: str, text: str) -> tuple[str, list[Any]]:
        key = self.letters(column)
        return f"({key} >= ? AND {key} < ?)", [text, text + _LAST_LETTER]

    def with_words(self, table: str, text: str) -> tuple[str, list[Any]]:
        quoted = " ".join(f'"{word}"*' for word in words_of(text))
        unit = f"rowid >> {UNIT_BITS}" if table == "deed" else "rowid"
        return f"SELECT {unit} FROM {table}_words WHERE {table}_words MATCH ?", [quoted]

    def among(self, select: str) -> str:
        return f"id IN ({select})"

    def make_searchable(self, connection: "sa.Connection", anew: bool = False) -> None:
        for statement in searching.for_sqlite() + (searching.anew_for_sqlite() if anew else []):
            connection.exec_driver_sql(statement)

    def rows(self, statement: str, values: Sequence[Any] = ()) -> list[Any]:
        return self._connection.execute(statement, tuple(values)).fetchall()

    @contextmanager
    def reading(self) -> Iterator[None]:
        self._connection.execute("BEGIN")
        try:
            yield
        finally:
            self._connection.rollback()

    @contextmanager
    def writing(self) -> Iterator["sa.Connection"]:
        with self._alchemy.begin() as connection:
            yield connection

    @contextmanager
    def migrating(self) -> Iterator["sa.Connection"]:
        """Foreign keys are off while tables are rebuilt, or a rebuilt parent would take its children along; inside a
        transaction SQLite ignores this pragma without a word."""
        self._connection.execute("PRAGMA foreign_keys = OFF")
        try:
            with self.writing() as connection:
                yield connection
                if connection.exec_driver_sql("PRAGMA foreign_key_check").fetchone() is not None:
                    raise BookError(f"{self.place} could not be brought up to date; it was left as it is.")
        finally:
            self._connection.execute("PRAGMA foreign_keys = ON")

    def dangling(self, tables: Sequence[str]) -> bool:
        check = self._connection.execute
        return any(check(f'PRAGMA foreign_key_check("{table}")').fetchone() is not None for table in tables)

    def ill_typed(self) -> bool:
        return any(
            self._connection.execute(f'SELECT 1 FROM "{table_name(kind)}" WHERE {_ill_typed(kind)} LIMIT 1').fetchone()
            for kind in LARGE
            if kind not in (Trace, Deed, Hour)  # they are judged where they are read
        )

    def rights(self) -> Rights:
        return Rights()

    def give_rights_again(self, connection: "sa.Connection") -> None:
        """A file knows no roles."""

    def make(self) -> None:
        """The mark of a book goes into the file's head at once, which is where `found` looks for it."""
        from azven.book.migrate import make_tables

        with self.writing() as connection:
            connection.exec_driver_sql(f"PRAGMA application_id = {APPLICATION_ID}")
            make_tables(connection)
            self.make_searchable(connection)
        self._connection.execute("PRAGMA wal_checkpoint(TRUNCATE)")

    def others_wrote(self) -> bool:
        (version,) = self._connection.execute("PRAGMA data_version").fetchone()
        before, self._version = self._version, version
        return bool(version != before)

    def call_me(self, name: str) -> None:
        """Nobody else can ask a file."""

    def others(self) -> list[str]:
        return []

    def explain(self, error: Exception) -> str:
        return explained(getattr(error, "orig", error), self.place)

    def close(self) -> None:
        if "_alchemy" in self.__dict__:
            self._alchemy.dispose()
        self._connection.close()
        if self._open is not None:
            closed(self._open)
            self._open = None

    def copy_to(self, path: Path) -> None:
        """The book as it stands as another file, whole or not at all; BookError when it cannot be written there."""
        let_go(path)
        try:
            with written_whole(path, _RIGHTS) as fresh, closing(sqlite3.connect(fresh)) as target:
                self._connection.backup(target)
        except (sqlite3.Error, OSError) as error:
            raise BookError(f"{path} could not be written ({error}); no copy was made.") from error

    def max_pages(self, pages: int) -> None:
        """Limit the size of the file, as a full disk would (SQLite pages of 4 KiB)."""
        self._connection.execute(f"PRAGMA max_page_count = {pages}")


def _lower(value: Any) -> Any:
    return value.lower() if isinstance(value, str) else value


_STORED: Mapping[Sort, str] = {"text": "text", "json": "text", "moment": "text", "real": "real", "bytes": "blob"}


def _ill_typed(kind: type[Record]) -> str:
    """The condition that a value is of another type than its column; what is not named is a whole number."""
    return " OR ".join(
        f"typeof(\"{c.name}\") NOT IN ('{_STORED.get(c.sort, 'integer')}', '{'null' if c.optional else ''}')"
        for c in columns(kind)
    )
