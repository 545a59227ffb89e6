"""A book's file as others left it: what it is, whether it is open here, letting it go before it is replaced."""

import os
import sqlite3
import stat
from collections import Counter
from contextlib import closing
from pathlib import Path
from typing import Any

from azven.book.edits import BookError
from azven.book.place import File

APPLICATION_ID = 0x417A7665
"""SQLite's application_id of a book: the letters Azve."""
_SAID_CHARS = 80
_AT_MOST_S = 0.3
_OPEN: Counter[tuple[int, int]] = Counter()


def opened(path: Path) -> tuple[int, int]:
    """Note that a book in this file is open in this process; gives what `closed` takes."""
    _OPEN[key := _identity(path)] += 1
    return key


def closed(key: tuple[int, int]) -> None:
    _OPEN[key] -= 1


def is_open_here(path: Path) -> bool:
    """Whether a book in this file is open in this process."""
    try:
        return _OPEN[_identity(path)] > 0
    except OSError:
        return False


def _identity(path: Path) -> tuple[int, int]:
    found = path.stat()
    return found.st_dev, found.st_ino


def look_before_opening(path: Path) -> None:
    """Refuse what is plainly not a book, with nothing changed there.

    SQLite itself reads the head: were the file opened and closed in any other way, all locks would go that another
    connection of this process has on it (POSIX advisory locks), and another process could take its log away.
    """
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
    for right, word in ((os.R_OK, "read"), (os.W_OK, "written to")):
        if not os.access(path, right):
            raise BookError(f"{path} cannot be {word}; copy it to a place of your own.")
    if _application(path) != APPLICATION_ID:
        raise BookError(f"{path} is not an Azven book; it was left as it is.")


def _application(path: Path) -> int | None:
    """What the head of a database says that it is; None where it is no database. Nothing but the file is read."""
    try:
        with closing(sqlite3.connect(f"{path.absolute().as_uri()}?mode=ro&immutable=1", uri=True)) as head:
            return int(head.execute("PRAGMA application_id").fetchone()[0])
    except sqlite3.DatabaseError as error:
        if getattr(error, "sqlite_errorcode", 0) & 0xFF == sqlite3.SQLITE_NOTADB:
            return None
        raise BookError(explained(error, File(path))) from error


def let_go(path: Path) -> None:
    """Have a book that is to be replaced closed for good, and no log of it left, which would be taken for one of the
    new file. BookError where it is open in another program, which would lose what it does from then on."""
    if not path.exists():
        return
    try:
        with closing(sqlite3.connect(path, timeout=_AT_MOST_S, isolation_level=None)) as old:
            old.execute("PRAGMA journal_mode = DELETE")
    except sqlite3.DatabaseError as error:
        if getattr(error, "sqlite_errorcode", 0) & 0xFF in (sqlite3.SQLITE_BUSY, sqlite3.SQLITE_LOCKED):
            raise BookError(f"{path} is open in another program; a copy needs another name.") from error
    for ending in ("-wal", "-shm"):  # of what is no database, or a damaged one
        Path(f"{path}{ending}").unlink(missing_ok=True)


def explained(error: Any, place: File) -> str:
    code = getattr(error, "sqlite_errorcode", 0) & 0xFF  # the rest says more closely where
    if (words := _MEANS.get(code)) is not None:
        return f"{place} {words}."
    if code == sqlite3.SQLITE_FULL:
        return f"The disk that holds {place} is full. The last edit was not kept; everything before it is safe."
    if code in (sqlite3.SQLITE_CORRUPT, sqlite3.SQLITE_NOTADB):
        return f"{place} is damaged and was left as it is ({error})."
    if isinstance(error, sqlite3.OperationalError):
        return f"{place} could not be read or written: {error}"
    return f"{place}: {error}"


_MEANS = {
    sqlite3.SQLITE_READONLY: "is read-only; the last edit was not kept. Copy the book to a place of your own",
    sqlite3.SQLITE_CANTOPEN: "cannot be opened or made there; nothing was changed",
    sqlite3.SQLITE_BUSY: "is busy in another program; the last edit was not kept. Try again",
    sqlite3.SQLITE_LOCKED: "is busy in another program; the last edit was not kept. Try again",
}
"""SQLite's primary result codes, in words."""
