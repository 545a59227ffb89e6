"""Edits: what changes together, lands together and is undone together."""

from collections.abc import Iterable
from dataclasses import dataclass, field

from azven.book.records import Record
from azven.refusal import Refusal


class BookError(Refusal):
    """Something about the book, or the place it is kept, that the user has to know. The message is theirs to read."""


class ConflictError(BookError):
    """A record was changed by somebody else since it was read; `current` is what stands there now."""

    def __init__(self, message: str, current: Record | None) -> None:
        super().__init__(message)
        self.current = current


@dataclass(frozen=True)
class Change:
    """One record before and after; None before is an addition, None after a removal."""

    before: Record | None
    after: Record | None

    @property
    def kind(self) -> type[Record]:
        present = self.after if self.after is not None else self.before
        if present is None:
            raise ValueError("a change needs a record before or after")
        return type(present)


@dataclass(frozen=True)
class Edit:
    """Changes with a title that a person reads in the undo list; `select` are the ids to show afterwards."""

    title: str
    changes: tuple[Change, ...] = ()
    select: tuple[int, ...] = field(default=())

    def __bool__(self) -> bool:
        return bool(self.changes)

    def inverse(self) -> "Edit":
        """The edit that takes this one back."""
        return Edit(self.title, tuple(Change(c.after, c.before) for c in reversed(self.changes)), self.select)


def add(*items: Record) -> tuple[Change, ...]:
    return tuple(Change(None, item) for item in items)


def replace_record(before: Record, after: Record) -> tuple[Change, ...]:
    """The change from one state of a record to another; nothing when they are equal."""
    return () if before == after else (Change(before, after),)


def remove(items: Iterable[Record]) -> tuple[Change, ...]:
    return tuple(Change(item, None) for item in items)
