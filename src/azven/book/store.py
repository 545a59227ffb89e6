"""The store: opens a book, reads records, and writes edits, each as one transaction that is on disk at once."""

import os
import sqlite3
import stat
from collections.abc import Callable, Mapping, Sequence
from contextlib import closing
from dataclasses import fields, replace
from itertools import groupby
from pathlib import Path
from typing import Any, TypeVar

import numpy as np
import sqlalchemy as sa
from sqlalchemy import event
from sqlalchemy.exc import DatabaseError, IntegrityError, OperationalError

from azven.book import damage
from azven.book.damage import Damage
from azven.book.edits import BookError, Change, ConflictError, Edit
from azven.book.formats.whole import written_whole
from azven.book.reading import Held, Snapshot, by_id, patched, the_one, those
from azven.book.records import Record, Show, Site, Trace
from azven.book.tables import APPLICATION_ID, REVISION, REVISIONS, TABLES, as_read, counter, metadata, revision, values

R = TypeVar("R", bound=Record)
SUFFIX = ".azven"
_SAID_CHARS = 80
_RIGHTS = 0o600
"""A book is its owner's alone."""
_DAMAGE_SAID = 3


class Store:
    """An open book. `create` and `open` are the ways in; listeners hear every edit after it landed."""

    def __init__(self, engine: sa.Engine, path: Path) -> None:
        self.path = path
        self._engine = engine
        self._writer = engine.execution_options(writes=True)
        self._listeners: list[Callable[[Edit], None]] = []
        self._read: Held = {}
        self._data_version = -1
        self.damaged: tuple[Damage, ...] = ()
        """Records that are set aside; where there are any the book is open for reading only."""

    # -- opening -----------------------------------------------------------------------------------

    @classmethod
    def create(cls, path: Path) -> "Store":
        """Make a new book at `path`. Raises BookError when something is there or it cannot be written."""
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
        engine = _engine(path)
        try:
            with engine.execution_options(writes=True).begin() as connection:
                connection.exec_driver_sql(f"PRAGMA application_id = {APPLICATION_ID}")
                metadata.create_all(connection, checkfirst=False)
                revision.create(connection, checkfirst=False)
                connection.execute(sa.insert(revision).values(version_num=REVISION))
                connection.execute(sa.insert(counter).values(next_id=1))
            _write_head(engine)
        except DatabaseError as error:
            engine.dispose()
            raise BookError(_say(error, path)) from error
        return cls(engine, path)

    @classmethod
    def open(cls, path: Path) -> "Store":
        """Open the book at `path`, bringing an older one up to date.

        Raises BookError, with nothing changed on disk, when the file is missing, is no book, comes from
        a newer version, or cannot be written. Damaged records are set aside and told in `damaged`.
        """
        _look_before_opening(path)
        engine = _engine(path)
        try:
            found = _read_revision(engine, path)
            if found != REVISION:
                from azven.book.migrate import upgrade

                upgrade(engine, path)
            store = cls(engine, path)
            store._look_through()
        except DatabaseError as error:
            engine.dispose()
            raise BookError(_say(error, path)) from error
        except BookError:
            engine.dispose()
            raise
        return store

    def close(self) -> None:
        self._engine.dispose()

    # -- reading -----------------------------------------------------------------------------------

    def all(self, kind: type[R], **where: Any) -> list[R]:
        """Records of a kind whose columns equal `where`, in the order of their ids; BookError when unreadable."""
        if kind is Trace:
            return self._select(kind, where)
        return those(self._every(kind), where)

    def _every(self, kind: type[R]) -> dict[int, R]:
        self._forget_if_others_wrote()
        if kind not in self._read:
            self._read[kind] = by_id(self._select(kind, {}))
        return self._read[kind]

    def snapshot(self) -> Snapshot:
        """All records but the bins of sweeps as they are now."""
        return Snapshot({kind: self._every(kind) for kind in TABLES if kind is not Trace})

    def _look_through(self) -> None:
        """Read everything but the bins of sweeps once; what does not fit, and what hangs on it, is set aside."""
        read, found = damage.look_through(self._engine)
        self._read = {kind: by_id(records) for kind, records in read.items()}
        self.damaged = tuple(found)
        if self.damaged and not (self._read[Site] and self._read[Show]):
            raise BookError(f"{self.path} is damaged and was left as it is: {self.damage_in_words()}.")

    def damage_in_words(self) -> str:
        """The damaged records, the first of them by name."""
        said = "; ".join(d.words() for d in self.damaged[:_DAMAGE_SAID])
        more = len(self.damaged) - _DAMAGE_SAID
        return said + (f" and {more} more" if more > 0 else "")

    def _select(self, kind: type[R], where: Mapping[str, Any]) -> list[R]:
        try:
            with self._engine.connect() as connection:
                return damage.select(connection, kind, where)
        except DatabaseError as error:
            raise BookError(_say(error, self.path)) from error

    def _only_reading(self) -> None:
        if self.damaged:
            raise BookError(
                f"Nothing was changed: the book is open for reading only, for {self.damage_in_words()}. "
                "Copy the file and repair it, or start a new book."
            )

    def _forget_if_others_wrote(self) -> None:
        """Drop what was read when another connection has changed the file since (SQLite's data_version)."""
        connection = self._engine.raw_connection()
        try:
            (version,) = connection.cursor().execute("PRAGMA data_version").fetchone()
        finally:
            connection.close()
        if version != self._data_version:
            first, self._data_version = self._data_version < 0, version
            if not first and not self.damaged:
                self._read.clear()

    def get(self, kind: type[R], record_id: int) -> R:
        """One record; raises BookError when it is not there."""
        known = by_id(self.all(kind, id=record_id)) if kind is Trace else self._every(kind)
        return the_one(known, kind, record_id)

    # -- writing -----------------------------------------------------------------------------------

    def reserve(self, n: int = 1) -> int:
        """Set aside `n` ids and return the first; ids are unique over all records of the book."""
        self._only_reading()
        try:
            with self._writer.begin() as connection:
                first = connection.execute(sa.select(counter.c.next_id).with_for_update()).scalar_one()
                connection.execute(sa.update(counter).values(next_id=first + n))
        except DatabaseError as error:
            raise BookError(_say(error, self.path)) from error
        return int(first)

    def apply(self, edit: Edit) -> Edit:
        """Write an edit and tell the listeners. Returns it as it landed, with the versions set.

        Raises ConflictError when a record is not as the edit expects it, BookError when the disk does
        not take it; in both cases nothing of the edit was written.
        """
        self._only_reading()
        try:
            with self._writer.begin() as connection:
                landed = replace(edit, changes=_write_all(connection, edit.changes))
        except IntegrityError as error:
            raise BookError(f"“{edit.title}” was not done: something else in the book still needs it.") from error
        except DatabaseError as error:
            raise BookError(_say(error, self.path)) from error
        patched(self._read, landed.changes)
        for listener in list(self._listeners):
            listener(landed)
        return landed

    def listen(self, listener: Callable[[Edit], None]) -> None:
        """Call `listener` with every edit after it landed."""
        self._listeners.append(listener)

    def copy_to(self, path: Path) -> None:
        """The book as it stands as another file, whole or not at all; BookError when it cannot be written there."""
        try:
            with (
                written_whole(path, _RIGHTS) as fresh,
                closing(self._engine.raw_connection()) as source,
                closing(sqlite3.connect(fresh)) as target,
            ):
                source.driver_connection.backup(target)  # type: ignore[union-attr]
        except (sqlite3.Error, OSError) as error:
            raise BookError(f"{path} could not be written ({error}); no copy was made.") from error

    def max_pages(self, pages: int) -> None:
        """Limit the size of the file, as a full disk would (SQLite pages of 4 KiB)."""
        with self._engine.connect() as connection:
            connection.exec_driver_sql(f"PRAGMA max_page_count = {pages}")


def _engine(path: Path) -> sa.Engine:
    place = sa.URL.create("sqlite", database=str(path))  # a path is not a URL: % and ? stand for themselves
    engine = sa.create_engine(place, poolclass=sa.StaticPool, connect_args={"check_same_thread": False})

    @event.listens_for(engine, "connect")
    def _prepare(dbapi: Any, _: Any) -> None:
        dbapi.isolation_level = None  # so that BEGIN is ours to say
        dbapi.execute("PRAGMA busy_timeout = 5000")
        dbapi.execute("PRAGMA foreign_keys = ON")
        dbapi.execute("PRAGMA journal_mode = WAL")
        dbapi.execute("PRAGMA synchronous = FULL")

    @event.listens_for(engine, "begin")
    def _begin(connection: sa.Connection) -> None:
        writes = connection.get_execution_options().get("writes", False)
        connection.exec_driver_sql("BEGIN IMMEDIATE" if writes else "BEGIN")

    return engine


def _write_head(engine: sa.Engine) -> None:
    """Bring the mark of a book out of the write-ahead log into the file, where `open` looks for it."""
    connection = engine.raw_connection()
    try:
        connection.cursor().execute("PRAGMA wal_checkpoint(TRUNCATE)")
    finally:
        connection.close()


def _look_before_opening(path: Path) -> None:
    """Refuse what is plainly not a book before SQLite touches it."""
    try:
        kind = path.stat().st_mode
    except FileNotFoundError:
        raise BookError(f"There is no book at {path}.") from None
    except OSError as error:
        raise BookError(f"{str(path)[:_SAID_CHARS]} cannot be read ({error.strerror}).") from error
    if stat.S_ISDIR(kind):
        raise BookError(f"{path} is a folder, not a book.")
    if not stat.S_ISREG(kind):
        raise BookError(f"{path} is no file that could hold a book; it was left as it is.")
    try:
        with path.open("rb") as file:
            head = file.read(100)
        with path.open("r+b"):
            pass
    except OSError as error:
        raise BookError(f"{path} cannot be written to ({error.strerror}); copy it to a place of your own.") from error
    if not head.startswith(b"SQLite format 3\0") or int.from_bytes(head[68:72], "big") != APPLICATION_ID:
        raise BookError(f"{path} is not an Azven book; it was left as it is.")


def _read_revision(engine: sa.Engine, path: Path) -> str:
    with engine.connect() as connection:
        found = connection.execute(sa.select(revision.c.version_num)).scalar()
    if found not in REVISIONS:
        raise BookError(f"{path} was written by a newer Azven; update Azven to open it. It was left as it is.")
    return str(found)


def _say(error: DatabaseError, path: Path) -> str:
    """What a database error means to the person at the screen."""
    code = getattr(error.orig, "sqlite_errorcode", 0) & 0xFF  # the rest says more closely where
    if (words := _MEANS.get(code)) is not None:
        return f"{path} {words}."
    if code == sqlite3.SQLITE_FULL:
        return f"The disk that holds {path} is full. The last edit was not kept; everything before it is safe."
    if code in (sqlite3.SQLITE_CORRUPT, sqlite3.SQLITE_NOTADB):
        return f"{path} is damaged and was left as it is ({error.orig})."
    if isinstance(error, OperationalError):
        return f"{path} could not be read or written: {error.orig}"
    return f"{path}: {error.orig}"


_MEANS = {
    sqlite3.SQLITE_READONLY: "is read-only; the last edit was not kept. Copy the book to a place of your own",
    sqlite3.SQLITE_CANTOPEN: "cannot be opened or made there; nothing was changed",
    sqlite3.SQLITE_BUSY: "is busy in another program; the last edit was not kept. Try again",
    sqlite3.SQLITE_LOCKED: "is busy in another program; the last edit was not kept. Try again",
}
"""SQLite's primary result codes, in words."""


def _write_all(connection: sa.Connection, changes: Sequence[Change]) -> tuple[Change, ...]:
    """Write the changes of an edit in their order, neighbouring additions of one kind together."""
    landed: list[Change] = []
    for (kind, adds), run in groupby(changes, key=lambda c: (c.kind, c.before is None)):
        if adds:
            new = [_added(c) for c in run]
            connection.execute(sa.insert(TABLES[kind]), [values(c.after) for c in new if c.after is not None])
            landed += new
        else:
            landed += [_write(connection, c) for c in run]
    return tuple(landed)


def _added(change: Change) -> Change:
    assert change.after is not None
    if not change.after.id:
        raise ValueError("reserve an id before adding a record")
    return Change(None, as_read(replace(change.after, version=change.after.version + 1)))


def _write(connection: sa.Connection, change: Change) -> Change:
    """Write a change or removal inside the transaction, once the record is seen to be as it expects."""
    kind = change.kind
    table = TABLES[kind]
    assert change.before is not None
    row = connection.execute(sa.select(table).where(table.c.id == change.before.id)).one_or_none()
    current = damage.record(kind, row) if row is not None else None
    if current is None or not same(current, change.before):
        raise ConflictError(f"This {kind.__name__.lower()} was changed elsewhere meanwhile; nothing was lost.", current)
    mine = (table.c.id == current.id) & (table.c.version == current.version)
    if change.after is None:
        connection.execute(sa.delete(table).where(mine))
        return Change(current, None)
    after = as_read(replace(change.after, version=current.version + 1))
    connection.execute(sa.update(table).where(mine).values(values(after)))
    return Change(current, after)


def same(a: Record, b: Record) -> bool:
    """Whether two records say the same, whatever their versions."""
    for f in fields(a):
        if f.name == "version":
            continue
        x, y = getattr(a, f.name), getattr(b, f.name)
        if isinstance(x, np.ndarray) or isinstance(y, np.ndarray):
            if len(x) != len(y) or not np.allclose(x, y, atol=0.006):
                return False
        elif x != y:
            return False
    return True
