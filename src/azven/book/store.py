"""The store: opens a book, reads records, and writes edits, each as one transaction that is on disk at once."""

import uuid
from collections.abc import Callable, Iterator
from contextlib import closing, contextmanager, suppress
from dataclasses import replace
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING

from azven.book import author, desks, history, others
from azven.book.author import Author
from azven.book.columns import LARGE
from azven.book.desks import Desk
from azven.book.edits import NEEDED, BookError, ConflictError, Edit, ForbiddenError, NeededError
from azven.book.engines import REVISION, REVISIONS, Away, Engine, engine_at
from azven.book.engines.rights import strangers
from azven.book.holding import Holding
from azven.book.place import SUFFIX, File, Place, Server
from azven.book.records import Retention, Site

if TYPE_CHECKING:
    from azven.book.waiting import Waiting

__all__ = ["SUFFIX", "Store"]


_READ_ANEW = 2_000
"""After so many edits of others the book is read again, which is sooner done than following each."""
_NOT_ALLOWED = "42501"
"""The SQLSTATE of what a role may not do."""
_ASK = "Ask whoever looks after the server."


class Store(Holding):
    """An open book. `create` and `open` are the ways in; listeners hear every edit after it landed, those of other
    desks too once `catch_up` has found them. A store belongs to the thread that opened it."""

    def __init__(self, engine: Engine, by: Author | None = None) -> None:
        super().__init__(engine)
        self.author = by or author.here()
        self._listeners: list[Callable[[Edit], None]] = []
        self._key = uuid.uuid4().hex
        self._edits = 0
        self.collided: tuple[Waiting, ...] = ()
        """Edits that waited for a server and met what others had done; only a `SharedStore` has any."""
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
    def open(
        cls, where: Place | Path, by: Author | None = None, keeping: Path | None = None, thorough: bool = False
    ) -> "Store":  # fmt: skip
        """Open the book at a place, bringing an older one up to date. For a book on a server, `keeping` is a folder of
        this computer where edits wait while the server is away.

        Raises BookError, with nothing changed there, when it is missing, is no book, comes from a newer version, or
        cannot be written. Damaged records are set aside and told in `damaged`; of kinds that are not held as they are
        read, all of them at once with `thorough`.
        """
        engine = engine_at(_place(where))
        with _closing_on_failure(engine):
            if _revision(engine) != REVISION:
                from azven.book.migrate import upgrade

                upgrade(engine)
            store: Store
            if keeping is not None and isinstance(engine.place, Server):
                from azven.book.cut_off import SharedStore

                store = SharedStore(engine, by, keeping)
            else:
                store = cls(engine, by)
            store._look_through(thorough)
        return store

    def look_closer(self) -> bool:
        """Look through all of the book, and set aside what is damaged; whether something was found that was not known.
        BookError when it cannot be read."""
        known = set(self.damaged)
        with self.told():
            self._look_through(thorough=True)
        found = bool(set(self.damaged) - known)
        if found:
            self._tell(Edit("Damaged records are set aside", also=LARGE))
        return found

    def close(self) -> None:
        self._engine.close()

    @property
    def goes_on(self) -> bool:
        """Whether edits can be made while the server is away; only in a `SharedStore`."""
        return False

    @property
    def waiting(self) -> int:
        """How many edits are not in the book yet, for its server is away; only a `SharedStore` has any."""
        return 0

    # -- others ------------------------------------------------------------------------------------

    @property
    def away_since(self) -> datetime | None:
        """Since when the server of the book has not answered; None while it does, and for a file."""
        watcher = getattr(self._engine, "watcher", None)
        return watcher.away_since if watcher is not None else None

    def say_where(self, site: int, show: int) -> None:
        """Let the other desks of the book know where one is; nothing while the server is away."""
        with suppress(BookError), self.told():
            self._engine.call_me(desks.name_of(self.author, site, show))

    def other_desks(self) -> list[Desk]:
        """The other desks that have the book open, and where they are; nobody while the server is away."""
        with suppress(BookError), self.told():
            return [d for name in self._engine.others() if (d := desks.desk_of(name)) is not None]
        return []

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
            if found is None or len(found) > _READ_ANEW:
                edits = [self._read_anew()]
            else:
                edits = others.edits_of(self._engine, self._strange(found), self._known())
                self._take_over(*edits)
            self._seen = history.latest(self._engine)
        if edits:
            self._tell(others.together(edits))
        return edits

    def _strange(self, found: list[history.News]) -> list[history.News]:
        """The news that is not of our own making, or that we do not know to have landed."""
        strange = [n for n in found if not n.mark.startswith(self._key) or n.mark in self._doubtful]
        self._doubtful -= {n.mark for n in strange}
        return strange

    def _tell(self, edit: Edit) -> None:
        for listener in list(self._listeners):
            listener(edit)

    def listen(self, listener: Callable[[Edit], None]) -> None:
        """Call `listener` with every edit after it landed."""
        self._listeners.append(listener)

    # -- writing -----------------------------------------------------------------------------------

    def _only_reading(self) -> None:
        self._mine()
        try:
            self.read_the_rest()  # damage is known before anything is written
        except BookError:
            if not self.goes_on:
                raise
        self._may_write()

    def _may_write(self) -> None:
        if self.damaged:
            raise BookError(
                f"Nothing was changed: the book is open for reading only, for {self.damage_in_words()}. "
                "Copy the file and repair it, or start a new book."
            )
        if self.rights.right == "read":
            raise ForbiddenError(f"Nothing was changed: your role may only read {self.place}. {_ASK}")

    def _only_own(self, edit: Edit) -> None:
        """Refuse what belongs to campuses that the role may not write."""
        if self.rights.right != "campus":
            return
        with self.told():
            strange = strangers(self._engine, edit.changes)
        if strange:
            sites = ", ".join(s.name for s in self.all(Site) if s.id in self.rights.sites)
            what = ", a ".join(sorted({type(r).__name__.lower() for r in strange}))
            raise ForbiddenError(
                f"“{edit.title}” was not done: it changes a {what} of another campus, and your role writes for {sites} "
                f"alone. {_ASK}"
            )

    def reserve(self, n: int = 1) -> int:
        """Set aside `n` ids and return the first; ids are unique over all records of the book."""
        self._only_reading()
        return self._reserved(n)

    def _reserved(self, n: int) -> int:
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
        self._only_own(edit)
        mark = self._next_mark()
        try:
            landed, number = self._written(edit, mark)
        except Away as away:
            self._doubtful.add(mark)
            raise BookError(
                f"{self.place} cannot be reached; “{edit.title}” was not done, or it is shown as soon as the server is "
                f"back. {away}"
            ) from away
        except ConflictError as conflict:
            self._explain(conflict)
            raise
        return self._done(landed, number)

    def _next_mark(self) -> str:
        """The mark by which the line of the next edit is known in the history."""
        self._edits += 1
        return f"{self._key}-{self._edits}"

    def _done(self, landed: Edit, number: int) -> Edit:
        """Take over and tell what has landed under a number."""
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
        """The edit as it landed, and its number in the history. Raises Away where the server cannot be reached; then it
        is not known whether the edit landed."""
        from sqlalchemy.exc import IntegrityError

        from azven.book.landing import land

        kept = next(iter(self._read[Retention].values()), Retention())
        try:
            with self._engine.writing() as connection:
                landed = replace(edit, changes=land(self._engine, connection, edit.changes))
                number = history.write(connection, landed, self.author, mark, kept) if landed else 0
        except IntegrityError as error:
            raise NeededError(f"“{edit.title}” was not done: {NEEDED}") from error
        except self._engine.errors as error:
            forbidden = getattr(getattr(error, "orig", error), "sqlstate", "") == _NOT_ALLOWED
            raise (ForbiddenError if forbidden else BookError)(self._engine.explain(error)) from error
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


def is_older(where: Place | Path) -> bool:
    """Whether the book at a place has to be brought up to date as it is opened. BookError as for `Store.open`."""
    engine = engine_at(_place(where))
    with closing(engine):
        return _revision(engine) != REVISION


def _revision(engine: Engine) -> str:
    found = engine.rows("SELECT version_num FROM alembic_version")
    if not found or found[0][0] not in REVISIONS:
        raise BookError(f"{engine.place} was written by a newer Azven; update Azven to open it. It was left as it is.")
    return str(found[0][0])
