"""A book as another one: from a file to a server, back, or within one of them, record by record."""

from collections.abc import Callable, Iterator
from pathlib import Path
from tempfile import TemporaryDirectory

import sqlalchemy as sa

from azven.book import history
from azven.book.columns import KINDS, READ, table_name
from azven.book.edits import BookError, same
from azven.book.engines import Engine
from azven.book.engines.searching import gone_for_postgres
from azven.book.engines.sqlite import SqliteFile
from azven.book.place import File, Place
from azven.book.records import Record, Trace
from azven.book.rows import above, how_many
from azven.book.store import Store
from azven.book.tables import TABLES, counter, history_change
from azven.book.tables import history as history_table

_AT_A_TIME = 500
Progress = Callable[[int, int], bool]


def copy(source: Store, target: Place, progress: Progress = lambda done, total: True) -> int:
    """Copy a book with its history to a place where nothing is, and compare every record; returns their number.

    `progress` is told (done, of how many) and stops the copying by saying no. Raises BookError, with nothing left at
    the target, when that is not empty, cannot be written, when a record does not arrive as it was, or when stopped.
    """
    source.look_closer()
    if source.damaged:
        raise BookError(f"{source.place} is damaged; a copy would lose what is set aside. Nothing was copied.")
    total = 2 * sum(how_many(source.engine, kind, {}) for kind in KINDS)
    made = Store.create(target, source.author)
    try:
        done = _filled(source.engine, made.engine, lambda n: progress(n, total))
        made.close()
        _compare(source, target, lambda n: progress(done + n, total))
    except BaseException:
        made.close()
        _discard(target)
        raise
    return done


class _StoppedError(BookError):
    def __init__(self) -> None:
        super().__init__("The copying was stopped; nothing was left at the other place.")


def _filled(source: Engine, target: Engine, goes_on: Callable[[int], bool]) -> int:
    done = 0
    with source.reading(), target.writing() as connection:
        for kind in KINDS:
            for records in _pages(source, kind):
                connection.execute(sa.insert(TABLES[kind]), [vars(r) for r in records])
                done += len(records)
                if not goes_on(done):
                    raise _StoppedError
        connection.execute(sa.update(counter).values(next_id=source.rows("SELECT next_id FROM counter")[0][0]))
        _copy_history(source, connection)
    return done


def _pages(engine: Engine, kind: type[Record]) -> Iterator[list[Record]]:
    """All records of a kind, in the order of their ids, some at a time."""
    last = 0
    count = 10 if kind is Trace else _AT_A_TIME
    while found := above(engine, kind, last, count):
        yield found
        last = found[-1].id


def _copy_history(source: Engine, connection: sa.Connection) -> None:
    for table, names in ((history_table, "id"), (history_change, "history_id, position")):
        listed = ", ".join(f'"{c.name}"' for c in table.c)
        found = source.rows(f'SELECT {listed} FROM "{table.name}" ORDER BY {names}')
        rows = [dict(zip((c.name for c in table.c), row, strict=True)) for row in found]
        for row in rows if table is history_table else ():
            row["at"] = READ["moment"](row["at"])
        for i in range(0, len(rows), _AT_A_TIME):
            connection.execute(sa.insert(table), rows[i : i + _AT_A_TIME])


def _compare(source: Store, target: Place, goes_on: Callable[[int], bool]) -> None:
    """Read both again and compare them record by record."""
    made = Store.open(target, source.author)
    done = 0
    try:
        for kind in KINDS:
            pairs = zip(_pages(source.engine, kind), _pages(made.engine, kind), strict=True)
            for mine, theirs in pairs:
                if [r.version for r in mine] != [r.version for r in theirs] or not all(map(same, mine, theirs)):
                    raise BookError(f"A {table_name(kind)} did not arrive as it was; the copy was taken away again.")
                done += len(mine)
                if not goes_on(done):
                    raise _StoppedError
        if history.page(source.engine, count=_AT_A_TIME) != history.page(made.engine, count=_AT_A_TIME):
            raise BookError("The history did not arrive as it was; the copy was taken away again.")
    finally:
        made.close()


def _discard(target: Place) -> None:
    if isinstance(target, File):
        for ending in ("", "-wal", "-shm"):
            Path(f"{target.path}{ending}").unlink(missing_ok=True)
        return
    from azven.book.engines.postgres import PostgresServer

    engine = PostgresServer(target)
    with engine.writing() as connection:
        for table in (*reversed(TABLES.values()), history_change, history_table, counter):
            connection.exec_driver_sql(f'DROP TABLE IF EXISTS "{table.name}" CASCADE')
        for statement in ("DROP TABLE IF EXISTS alembic_version", *gone_for_postgres()):
            connection.exec_driver_sql(statement)
    engine.close()


def save_copy(source: Store, path: Path, progress: Progress = lambda done, total: True) -> None:
    """The book as it stands as another file, whole or not at all, over one that is there; BookError when it cannot be
    written."""
    if isinstance(source.engine, SqliteFile):
        source.engine.copy_to(path)
        return
    with TemporaryDirectory(prefix="azven-copy-") as folder:
        made = File(Path(folder) / path.name)
        copy(source, made, progress)
        whole = SqliteFile.found(made)
        try:
            whole.copy_to(path)
        finally:
            whole.close()
