"""A book in a database of a PostgreSQL server, through psycopg (the extra `shared`)."""

from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from datetime import UTC, datetime
from typing import TYPE_CHECKING, Any

from azven.book import desks
from azven.book.edits import BookError, PasswordError
from azven.book.engines import Away, searching
from azven.book.engines.rights import Rights, give_again, of_me
from azven.book.engines.searching import WORDS, escaped, words_of
from azven.book.engines.watcher import Watcher
from azven.book.place import Server

try:
    import psycopg
    import sqlalchemy as sa
    from sqlalchemy.exc import DatabaseError
except ImportError as missing:
    raise BookError("A book on a server needs psycopg; install Azven with its extra “shared”.") from missing

if TYPE_CHECKING:
    from psycopg import Connection

CHANNEL = _NAMELESS = "azven"
_ONE_WRITER = 0x417A7665
"""The key of the lock that whoever writes holds: the letters Azve."""
_PATIENCE = (
    "-c client_encoding=UTF8 -c lock_timeout=5s -c statement_timeout=20s -c idle_in_transaction_session_timeout=10s "
    "-c jit=off"
)
"""How long one waits; and no code is made for a question, which takes longer than the questions here."""
_LINE = {
    "connect_timeout": 3, "keepalives_idle": 5, "keepalives_interval": 2, "keepalives_count": 3,
    "tcp_user_timeout": 5000,
}  # fmt: skip
"""How soon a cut line is noticed [s, the last in ms]."""
_GONE = ("08", "57P01", "57P02", "57P03")
"""Beginnings of the SQLSTATE of a server that is going, gone or not yet there."""


class PostgresServer:
    """The database of a book on a server; see `Engine`. One writes at a time, as in a file: whoever does holds a lock,
    so that the lines of the history are in the order in which they landed."""

    mark = "%s"
    errors: tuple[type[Exception], ...] = (DatabaseError, psycopg.Error)

    def __init__(self, place: Server) -> None:
        self.place = place
        self._closed = False
        self._name = _NAMELESS
        self._watcher: Watcher | None = None
        self._held: sa.Connection | None = None
        self._alchemy = sa.create_engine(
            "postgresql+psycopg://",
            creator=lambda: self._connect(self._name),
            pool_size=1,
            pool_timeout=1,
            pool_pre_ping=True,
        )  # fmt: skip

    @classmethod
    def found(cls, place: Server) -> "PostgresServer":
        """The database of a book; BookError where it holds none."""
        engine = cls(place)
        if engine._tables() is None:
            engine.close()
            raise BookError(f"{place} holds other things than an Azven book; it was left as it is.")
        if not engine._tables():
            engine.close()
            raise BookError(f"There is no book in {place} yet.")
        return engine

    @classmethod
    def fresh(cls, place: Server) -> "PostgresServer":
        """An empty database for a new book; BookError where it is not empty."""
        engine = cls(place)
        if engine._tables() != ():
            engine.close()
            raise BookError(f"{place} is not empty; nothing was changed.")
        return engine

    def _tables(self) -> tuple[str, ...] | None:
        """The names of the tables where they are those of a book, none in an empty database; None for other things."""
        try:
            found = self.rows("SELECT tablename FROM pg_tables WHERE schemaname = current_schema()")
        except Away as away:
            self.close()
            raise BookError(f"{self.place} cannot be reached. {away}") from away
        except self.errors as error:
            self.close()
            raise BookError(self.explain(error)) from error
        names = tuple(sorted(name for (name,) in found))
        return names if not names or {"alembic_version", "counter", "site"} <= set(names) else None

    def _connect(self, name: str = _NAMELESS) -> "Connection[Any]":
        options: dict[str, Any] = {**_LINE, "options": _PATIENCE, "application_name": name}
        if self.place.password is not None:
            options["password"] = self.place.password
        try:
            return psycopg.connect(self.place.url, **options)
        except psycopg.OperationalError as error:
            if error.pgconn is not None and (error.pgconn.needs_password or error.pgconn.used_password):
                raise PasswordError(f"{self.place} wants a password. It says: {_first_line(error)}") from error
            raise

    # -- reading -----------------------------------------------------------------------------------

    def moment(self, value: datetime) -> datetime:
        return value.astimezone(UTC).replace(tzinfo=None)

    def letters(self, column: str) -> str:
        return f'lower("{column}") COLLATE "C"'

    def begins(self, column: str, text: str) -> tuple[str, list[Any]]:
        return f"{self.letters(column)} LIKE lower(%s) ESCAPE '!'", [escaped(text) + "%"]

    def with_words(self, table: str, text: str) -> tuple[str, list[Any]]:
        column, found = WORDS[table], " & ".join(f"'{word}':*" for word in words_of(text))
        condition = f"to_tsvector('simple', {column}) @@ to_tsquery('simple', %s)"
        if table == "deed":
            return f"SELECT unit_id FROM deed_words WHERE {condition}", [found]
        return f"SELECT id FROM {table} WHERE {column} <> '' AND {condition}", [found]

    def among(self, select: str) -> str:
        return f"CASE WHEN id IN ({select}) THEN true ELSE false END"  # else it expects few and looks up one by one

    def make_searchable(self, connection: "sa.Connection", anew: bool = False) -> None:
        for statement in searching.for_postgres() + (searching.anew_for_postgres() if anew else []):
            connection.exec_driver_sql(statement)

    def rows(self, statement: str, values: Sequence[Any] = ()) -> list[Any]:
        with self._answering():
            if self._held is not None:
                return list(self._held.exec_driver_sql(statement, tuple(values)).fetchall())
            with self._alchemy.connect() as connection:
                return list(connection.exec_driver_sql(statement, tuple(values)).fetchall())

    @contextmanager
    def reading(self) -> Iterator[None]:
        with self._answering(), self._alchemy.connect() as connection:
            self._held = connection.execution_options(isolation_level="REPEATABLE READ")
            try:
                yield
            finally:
                self._held = None

    def dangling(self, tables: Sequence[str]) -> bool:
        return False  # a server lets no key dangle

    def ill_typed(self) -> bool:
        return False  # nor any value be of another type

    # -- writing -----------------------------------------------------------------------------------

    @contextmanager
    def writing(self) -> Iterator["sa.Connection"]:
        with self._answering(), self._alchemy.begin() as connection:
            connection.exec_driver_sql(f"SELECT pg_advisory_xact_lock({_ONE_WRITER})")
            self._held = connection
            try:
                yield connection
            finally:
                self._held = None
            connection.exec_driver_sql(f"NOTIFY {CHANNEL}")

    @contextmanager
    def migrating(self) -> Iterator["sa.Connection"]:
        """An index of millions of rows takes longer than one waits for an answer."""
        with self.writing() as connection:
            connection.exec_driver_sql("SET LOCAL statement_timeout = 0")
            yield connection

    def rights(self) -> Rights:
        return of_me(self)

    def give_rights_again(self, connection: sa.Connection) -> None:
        give_again(connection)

    def make(self) -> None:
        from azven.book.migrate import make_tables

        with self.writing() as connection:
            make_tables(connection)
            self.make_searchable(connection)

    # -- the server --------------------------------------------------------------------------------

    @contextmanager
    def _answering(self) -> Iterator[None]:
        """Raise `Away` where the server is out of reach, at once where that is known already."""
        if self._closed:
            raise Away("The book is closed.")
        if self._watcher is not None and self._watcher.away_since is not None:
            raise Away("it does not answer.")
        try:
            yield
        except (DatabaseError, psycopg.Error) as error:
            if not _is_gone(error):
                raise
            self._alchemy.dispose()
            if self._watcher is not None:
                self._watcher.lost()
            raise Away(_first_line(getattr(error, "orig", error))) from error

    def others_wrote(self) -> bool:
        if self._closed:
            return False
        if self._watcher is None:
            self._watcher = Watcher(self._connect, CHANNEL)
            self._watcher.start()
        return self._watcher.heard()

    def call_me(self, name: str) -> None:
        self._name = name  # for whatever connection comes next
        with self._answering(), self._alchemy.connect() as connection:
            connection.exec_driver_sql("SELECT set_config('application_name', %s, false)", (name,))
            connection.commit()

    def others(self) -> list[str]:
        asked = (
            "SELECT application_name FROM pg_stat_activity WHERE datname = current_database() "
            "AND pid <> pg_backend_pid() AND application_name LIKE %s ORDER BY 1"
        )
        return [str(name) for (name,) in self.rows(asked, [desks.PATTERN])]

    @property
    def watcher(self) -> Watcher | None:
        """What listens for the edits of others, once somebody has asked for them."""
        return self._watcher

    def explain(self, error: Exception) -> str:
        cause: Any = getattr(error, "orig", error)
        state = getattr(cause, "sqlstate", None) or ""
        if isinstance(cause, psycopg.DataError):
            state = "22"  # said by the client, before it has asked the server
        for beginning, words in _MEANS.items():
            if state.startswith(beginning):
                return f"{self.place} {words}."
        return f"{self.place}: {_first_line(cause)}"

    def close(self) -> None:
        self._closed = True
        if self._watcher is not None:
            self._watcher.close()
        self._alchemy.dispose()


def is_empty(place: Server) -> bool:
    """Whether there is nothing in a database yet. Raises BookError when it cannot be reached."""
    engine = PostgresServer(place)
    found = engine._tables()
    engine.close()
    return found == ()


def _is_gone(error: Exception) -> bool:
    """Whether an error means that the server is out of reach, rather than that it refuses."""
    cause: Any = getattr(error, "orig", error)
    if not isinstance(cause, psycopg.Error):
        return False
    state = cause.sqlstate
    return isinstance(cause, psycopg.OperationalError) and (state is None or state.startswith(_GONE))


def _first_line(error: Any) -> str:
    """What the server or its client says, without the parts that only repeat that a connection failed."""
    said = next((line.strip() for line in str(error).splitlines() if line.strip()), type(error).__name__)
    return said.rpartition("failed: ")[2] if said.startswith("connection failed: ") else said


_MEANS = {
    "25006": "is read-only; the last edit was not kept",
    "42501": "does not allow you that; nothing was changed. Ask whoever looks after the server",
    "53": "has no room or no connection left; the last edit was not kept, everything before it is safe",
    "55P03": "is busy with another desk; the last edit was not kept. Try again",
    "57014": "took too long; nothing was changed. Try again",
    "25P03": "was left waiting too long; nothing was changed. Try again",
    "22": "cannot keep a character or a number in this edit; nothing was changed",
}
"""Beginnings of SQLSTATE, in words."""
