"""The store: opens a book, reads records, and writes edits, each as one transaction that is on disk at once."""

import threading
import uuid
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager, suppress
from dataclasses import replace
from datetime import datetime
from pathlib import Path
from typing import Any, TypeVar

from azven.book import author, damage, history, others
from azven.book.author import Author
from azven.book.columns import KINDS, LARGE, record_of
from azven.book.damage import Damage
from azven.book.edits import BookError, ConflictError, Edit, NeededError
from azven.book.engines import REVISION, REVISIONS, Away, Engine, engine_at
from azven.book.place import SUFFIX, File, Place
from azven.book.reading import Held, Snapshot, by_id, patched, the_one, those
from azven.book.records import Record, Retention, Show, Site, Trace, Unit
from azven.book.rows import how_many, rows

__all__ = ["SUFFIX", "Store"]

R = TypeVar("R", bound=Record)
_DAMAGE_SAID = 3
_ANSWERS = 2_000
"""So many answers about kinds that are not held are kept until one of them changes."""
_Question = tuple[type[Record], tuple[tuple[str, Any], ...]]


class Store:
    """An open book. `create` and `open` are the ways in; listeners hear every edit after it landed, those of other
    desks too once `catch_up` has found them. A store belongs to the thread that opened it."""

    def __init__(self, engine: Engine, by: Author | None = None) -> None:
        self.place: Place = engine.place
        self.author = by or author.here()
        self.damaged: tuple[Damage, ...] = ()
        """Records that are set aside; where there are any the book is open for reading only."""
        self._engine = engine
        self._thread = threading.get_ident()
        self._listeners: list[Callable[[Edit], None]] = []
        self._read: Held = {}
        self._answers: dict[_Question, list[Any]] = {}
        self._seen = 0
        self._key = uuid.uuid4().hex
        self._edits = 0
        self._doubtful: set[str] = set()
        """Marks of edits of which it is not known whether they landed."""

    # -- opening -----------------------------------------------------------------------------------

    @classmethod
    def create(cls, where: Place | Path, by: Author | None = None) -> "Store":
        """Make a new book at a place. Raises BookError when something is there or it cannot be written."""
        engine = engine_at(_place(where), new=True)
        with _closing_on_failure(engine):
            engine.make()
            store = cls(engine, by)
            store._look_through()
        return store

    @classmethod
    def open(cls, where: Place | Path, by: Author | None = None) -> "Store":
        """Open the book at a place, bringing an older one up to date.

        Raises BookError, with nothing changed there, when it is missing, is no book, comes from a newer version, or
        cannot be written. Damaged records are set aside and told in `damaged`.
        """
        engine = engine_at(_place(where))
        with _closing_on_failure(engine):
            if _revision(engine) != REVISION:
                from azven.book.migrate import upgrade

                upgrade(engine)
            store = cls(engine, by)
            store._look_through()
        return store

    def close(self) -> None:
        self._engine.close()

    @property
    def engine(self) -> Engine:
        """The database of the book, for its history and for copying it."""
        self._mine()
        return self._engine

    def _mine(self) -> None:
        if threading.get_ident() != self._thread:
            raise RuntimeError("a store belongs to the thread that opened it; give others a snapshot")

    # -- reading -----------------------------------------------------------------------------------

    def all(self, kind: type[R], **where: Any) -> list[R]:
        """Records of a kind whose columns equal `where`, in the order of their ids; BookError when unreadable."""
        if kind is Trace:
            return self._asked(kind, where)
        if kind in LARGE:
            question = (kind, tuple(sorted(where.items())))
            if question not in self._answers:
                if len(self._answers) >= _ANSWERS:
                    self._answers.clear()
                self._answers[question] = self._asked(kind, where)
            return list(self._answers[question])
        return those(self._every(kind), where)

    def page(self, kind: type[R], start: int, count: int, **where: Any) -> list[R]:
        """`count` of those records from the one numbered `start` on; BookError when unreadable."""
        return self._asked(kind, where, start, count)

    def count(self, kind: type[R], **where: Any) -> int:
        """How many such records there are."""
        with self.told():
            return how_many(self._engine, kind, where)

    def get(self, kind: type[R], record_id: int) -> R:
        """One record; raises BookError when it is not there."""
        known = by_id(self.all(kind, id=record_id)) if kind in LARGE else self._every(kind)
        return the_one(known, kind, record_id)

    def snapshot(self, units: Sequence[Unit] = ()) -> Snapshot:
        """The records that are held, as they are now, and of those that are not the given `units`."""
        held = {kind: self._every(kind) for kind in KINDS if kind not in LARGE}
        return Snapshot({**held, Unit: by_id(units)})

    def _every(self, kind: type[R]) -> dict[int, R]:
        self._mine()
        return self._read[kind]

    def _asked(self, kind: type[R], where: Mapping[str, Any], start: int = 0, count: int | None = None) -> list[R]:
        with self.told():
            found = rows(self._engine, kind, where, start, count)
        if kind is Trace:
            return [record_of(kind, row) for row in found]
        told: list[Damage] = []
        records = damage.sound(kind, found, told)
        self.damaged += tuple(d for d in told if d not in self.damaged)
        return records

    def _look_through(self) -> None:
        """Read every kind that is held once; what does not fit, and what hangs on it, is set aside."""
        with self._engine.reading():
            self._seen = history.latest(self._engine)
            read, found = damage.look_through(self._engine)
        self._read = {kind: by_id(records) for kind, records in read.items()}
        self.damaged = tuple(found)
        if self.damaged and not (self._read[Site] and self._read[Show]):
            raise BookError(f"{self.place} is damaged and was left as it is: {self.damage_in_words()}.")

    def damage_in_words(self) -> str:
        """The damaged records, the first of them by name."""
        said = "; ".join(d.words() for d in self.damaged[:_DAMAGE_SAID])
        more = len(self.damaged) - _DAMAGE_SAID
        return said + (f" and {more} more" if more > 0 else "")

    # -- others ------------------------------------------------------------------------------------

    @property
    def away_since(self) -> datetime | None:
        """Since when the server of the book has not answered; None while it does, and for a file."""
        watcher = getattr(self._engine, "watcher", None)
        return watcher.away_since if watcher is not None else None

    def others_wrote(self) -> bool:
        """Whether others may have changed the book since this was last asked; never waits."""
        self._mine()
        try:
            return not self.damaged and self._engine.others_wrote()
        except self._engine.errors:
            return False

    def catch_up(self) -> list[Edit]:
        """Read what other desks have changed since, tell the listeners of all of it together, and return their edits,
        oldest first.

        Raises BookError when the book cannot be read.
        """
        with self.told(), self._engine.reading():
            found = history.news(self._engine, self._seen)
            if found is None:
                edits = [self._read_anew()]
            else:
                strange = [n for n in found if not n.mark.startswith(self._key) or n.mark in self._doubtful]
                self._doubtful -= {n.mark for n in strange}
                edits = others.edits_of(self._engine, strange, self._read)
                self._take_over(*edits)
            self._seen = history.latest(self._engine)
        if edits:
            self._tell(others.together(edits))
        return edits

    def _read_anew(self) -> Edit:
        """Everything is read again, where the history does not reach back to what was seen last."""
        before = self._read
        read, found = damage.look_through(self._engine)
        self._read, self.damaged = {kind: by_id(records) for kind, records in read.items()}, tuple(found)
        self._answers.clear()
        return Edit("Changed elsewhere", others.difference(before, self._read), by="other desks", also=LARGE)

    def _take_over(self, *edits: Edit) -> None:
        """Bring what is held up to date with edits that have landed."""
        for edit in edits:
            patched(self._read, edit.changes)
        touched = {kind for edit in edits for kind in edit.kinds}
        self._answers = {q: found for q, found in self._answers.items() if q[0] not in touched}

    def _tell(self, edit: Edit) -> None:
        for listener in list(self._listeners):
            listener(edit)

    def listen(self, listener: Callable[[Edit], None]) -> None:
        """Call `listener` with every edit after it landed."""
        self._listeners.append(listener)

    # -- writing -----------------------------------------------------------------------------------

    def _only_reading(self) -> None:
        self._mine()
        if self.damaged:
            raise BookError(
                f"Nothing was changed: the book is open for reading only, for {self.damage_in_words()}. "
                "Copy the file and repair it, or start a new book."
            )

    def reserve(self, n: int = 1) -> int:
        """Set aside `n` ids and return the first; ids are unique over all records of the book."""
        self._only_reading()
        with self.told(), self._engine.writing() as connection:
            connection.exec_driver_sql(f"UPDATE counter SET next_id = next_id + {int(n)}")
            ((after,),) = self._engine.rows("SELECT next_id FROM counter")
        return int(after) - n

    def apply(self, edit: Edit) -> Edit:
        """Write an edit and tell the listeners. Returns it as it landed, with the versions set and without what others
        had done already; empty where that is everything.

        Raises ConflictError when somebody else has changed the same field of a record, BookError when the disk does
        not take it or the server is away; in both cases nothing of the edit was written.
        """
        self._only_reading()
        self._edits += 1
        try:
            landed, number = self._written(edit, f"{self._key}-{self._edits}")
        except ConflictError as conflict:
            self._explain(conflict)
            raise
        if not landed:
            return landed
        self._take_over(landed)
        if number == self._seen + 1:
            self._seen = number
        else:
            with suppress(BookError):  # the edit is done; what others did is seen the next time
                self.catch_up()
        self._tell(landed)
        return landed

    def _written(self, edit: Edit, mark: str) -> tuple[Edit, int]:
        """The edit as it landed, and its number in the history."""
        from sqlalchemy.exc import IntegrityError

        from azven.book.landing import land

        kept = next(iter(self._read[Retention].values()), Retention())
        number = 0
        try:
            with self._engine.writing() as connection:
                landed = replace(edit, changes=land(self._engine, connection, edit.changes))
                number = history.write(connection, landed, self.author, mark, kept) if landed else 0
        except Away as away:
            if not number:
                raise BookError(f"{self.place} cannot be reached; “{edit.title}” was not done. {away}") from away
            self._doubtful.add(mark)
            raise BookError(
                f"{self.place} went away while “{edit.title}” was being written; "
                "whether it was is shown as soon as the server is back."
            ) from away
        except IntegrityError as error:
            raise NeededError(
                f"“{edit.title}” was not done: what it belongs to is gone, or something in the book still needs it."
            ) from error
        except self._engine.errors as error:
            raise BookError(self._engine.explain(error)) from error
        return landed, number

    def _explain(self, conflict: ConflictError) -> None:
        """Say who was quicker, and take over what they did."""
        record = conflict.wanted or conflict.current
        with suppress(BookError):
            self.catch_up()
            with self.told():
                line = history.last_of(self._engine, conflict.kind, record.id) if record is not None else None
            if line is not None:
                conflict.by, conflict.at = f"{line.who} at {line.desk}", line.at

    @contextmanager
    def told(self) -> Iterator[None]:
        """What goes wrong in the database, in a sentence."""
        self._mine()
        try:
            yield
        except Away as away:
            raise BookError(f"{self.place} cannot be reached. {away}") from away
        except self._engine.errors as error:
            raise BookError(self._engine.explain(error)) from error


@contextmanager
def _closing_on_failure(engine: Engine) -> Iterator[None]:
    """Whatever goes wrong while a book is opened, the database is let go, and it is told in a sentence."""
    try:
        yield
    except Away as away:
        engine.close()
        raise BookError(f"{engine.place} cannot be reached. {away}") from away
    except engine.errors as error:
        said = engine.explain(error)
        engine.close()
        raise BookError(said) from error
    except BaseException:
        engine.close()
        raise


def _place(where: Place | Path) -> Place:
    return File(where) if isinstance(where, Path) else where


def _revision(engine: Engine) -> str:
    found = engine.rows("SELECT version_num FROM alembic_version")
    if not found or found[0][0] not in REVISIONS:
        raise BookError(f"{engine.place} was written by a newer Azven; update Azven to open it. It was left as it is.")
    return str(found[0][0])
