"""Edits: what changes together, lands together and is undone together."""

from collections.abc import Iterable
from dataclasses import dataclass, field, fields
from datetime import datetime
from typing import Any

import numpy as np

from azven.book.records import Record
from azven.refusal import Refusal


class BookError(Refusal):
    """Something about the book, or the place it is kept, that the user has to know. The message is theirs to read."""


NEEDED = "what it belongs to is gone, or something in the book still needs it."


class NeededError(BookError):
    """Something that the edit removes is still needed, or what it belongs to is gone."""


class ForbiddenError(BookError):
    """The role with which a book on a server is open may not do that."""


class PasswordError(BookError):
    """The server of a book asks for a password, or for another one."""


@dataclass(frozen=True)
class Collision:
    """A field that two desks have changed to different values; in a removal, one that has changed since."""

    field: str
    mine: Any
    theirs: Any


class ConflictError(BookError):
    """A record was changed by somebody else since it was read; `current` is what stands there now, None where it was
    removed. `wanted` is what the edit would have made of it, None for a removal."""

    def __init__(
        self, current: Record | None, wanted: Record | None, kind: type[Record], collisions: tuple[Collision, ...] = ()
    ) -> None:
        super().__init__(f"This {kind.__name__.lower()} was changed elsewhere meanwhile; nothing was lost.")
        self.current = current
        self.wanted = wanted
        self.kind = kind
        self.collisions = collisions
        self.by = ""
        """Who has changed it, where that is known."""
        self.at: datetime | None = None


@dataclass(frozen=True)
class Change:
    """One record before and after; None before is an addition, None after a removal."""

    before: Record | None
    after: Record | None

    @property
    def kind(self) -> type[Record]:
        return type(self.record)

    @property
    def record(self) -> Record:
        """The record as it is after the change, or was before its removal."""
        present = self.after if self.after is not None else self.before
        if present is None:
            raise ValueError("a change needs a record before or after")
        return present


@dataclass(frozen=True)
class Edit:
    """Changes with a title that a person reads in the undo list; `select` are the ids to show afterwards. `by` names
    who made it where that was at another desk, `also` the kinds it changed beside those of its changes."""

    title: str
    changes: tuple[Change, ...] = ()
    select: tuple[int, ...] = field(default=())
    by: str = ""
    also: tuple[type[Record], ...] = ()

    @property
    def kinds(self) -> set[type[Record]]:
        """The kinds of records that the edit changes."""
        return {c.kind for c in self.changes} | set(self.also)

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


_KEPT_DBM = 0.006
"""Bins that differ by less are the same: they are kept to 0.01 dB."""


def differing(a: Record, b: Record) -> tuple[str, ...]:
    """The fields in which two records of a kind differ, whatever their versions."""
    names = (f.name for f in fields(a) if f.name != "version")
    return tuple(n for n in names if not _equal(getattr(a, n), getattr(b, n)))


def same(a: Record, b: Record) -> bool:
    """Whether two records say the same, whatever their versions."""
    return not differing(a, b)


def _equal(x: Any, y: Any) -> bool:
    if isinstance(x, np.ndarray) or isinstance(y, np.ndarray):
        return len(x) == len(y) and bool(np.allclose(x, y, atol=_KEPT_DBM))
    return bool(x == y)
