"""What differs between a book in a file and one on a server, behind one protocol."""

from collections.abc import Sequence
from contextlib import AbstractContextManager
from datetime import datetime
from typing import TYPE_CHECKING, Any, Protocol

from azven.book.place import File, Place

if TYPE_CHECKING:
    import sqlalchemy as sa

    from azven.book.engines.rights import Rights

REVISIONS = tuple(f"{n:04}" for n in range(1, 18))
"""Every revision of the tables that this version of Azven knows, oldest first."""
REVISION = REVISIONS[-1]


class Away(Exception):  # noqa: N818 - a state of the world, not a fault
    """The server cannot be reached just now; what was asked was not done, or it is not known whether it was."""


class Engine(Protocol):
    """The database of a book. It belongs to the thread of its store.

    Whatever fails in here raises errors that `explains` puts into words; `Away` where the server is out of reach.
    """

    @property
    def place(self) -> Place: ...

    @property
    def mark(self) -> str:
        """How a value is asked for in a statement: `?` or `%s`."""
        ...

    def begins(self, column: str, text: str) -> tuple[str, list[Any]]:
        """The condition that a column begins so, and its values; it looks past capitals: all of them, or A to Z
        alone."""
        ...

    def letters(self, column: str) -> str:
        """A column as it is compared where capitals are looked past."""
        ...

    def with_words(self, table: str, text: str) -> tuple[str, list[Any]]:
        """The question for the units of which a table of theirs has these words, and its values; `text` has some."""
        ...

    def among(self, select: str) -> str:
        """The condition that a row's number is among those of a question, which may be many."""
        ...

    def make_searchable(self, connection: "sa.Connection", anew: bool = False) -> None:
        """Make what lets beginnings and words be found quickly, where it is not there; `anew`, after tables were
        built anew."""
        ...

    def moment(self, value: datetime) -> Any:
        """A moment as it is asked for in a statement."""
        ...

    @property
    def errors(self) -> tuple[type[Exception], ...]:
        """What the database raises."""
        ...

    def rows(self, statement: str, values: Sequence[Any] = ()) -> list[Any]:
        """The rows that a statement reads; inside `writing`, with what has been written there."""
        ...

    def reading(self) -> AbstractContextManager[None]:
        """All that is read inside is of one moment."""
        ...

    def writing(self) -> AbstractContextManager["sa.Connection"]:
        """A transaction that is the only one to write to the book; done when the block ends well, else undone."""
        ...

    def migrating(self) -> AbstractContextManager["sa.Connection"]:
        """Like `writing`, for a change of the tables; raises BookError when the result does not hold together."""
        ...

    def dangling(self, tables: Sequence[str]) -> bool:
        """Whether a record in one of these tables refers to one that is not there."""
        ...

    def ill_typed(self) -> bool:
        """Whether a value of the kinds that are not held is of another type than its column."""
        ...

    def rights(self) -> "Rights":
        """What whoever has opened the book may do with it."""
        ...

    def give_rights_again(self, connection: "sa.Connection") -> None:
        """Give roles the same rights on tables that have come since these were given."""
        ...

    def make(self) -> None:
        """Make the tables of a new book. Raises BookError when there is something else at the place."""
        ...

    def others_wrote(self) -> bool:
        """Whether somebody else may have written since this was last asked; cheap, and never waits."""
        ...

    def call_me(self, name: str) -> None:
        """What others find this connection under; nothing where there are no others."""
        ...

    def others(self) -> list[str]:
        """What the connections of others at this book are called."""
        ...

    def explain(self, error: Exception) -> str:
        """What an error means to the person at the screen."""
        ...

    def close(self) -> None: ...


def engine_at(place: Place, new: bool = False) -> Engine:
    """The database at a place, which is looked at before anything touches it. Raises BookError when it is missing, is
    no book or cannot be opened; with `new`, when something is there."""
    if isinstance(place, File):
        from azven.book.engines.sqlite import SqliteFile

        return SqliteFile.fresh(place) if new else SqliteFile.found(place)
    from azven.book.engines.postgres import PostgresServer

    return PostgresServer.fresh(place) if new else PostgresServer.found(place)
