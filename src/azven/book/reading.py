"""Reading records: from the store, or from a snapshot of it, which never changes and may go to any thread."""

from collections.abc import Iterable, Mapping, Sequence
from typing import Any, Protocol, TypeVar

from azven.book.edits import BookError, Change
from azven.book.records import Record

R = TypeVar("R", bound=Record)
Held = dict[type[Record], list[Any]]
"""Records by their kind, in the order of their ids. A list is never changed, only replaced by another."""


class Reading(Protocol):
    """What gives records."""

    def all(self, kind: type[R], **where: Any) -> list[R]:
        """Records of a kind whose columns equal `where`, in the order of their ids; BookError when unreadable."""
        ...

    def get(self, kind: type[R], record_id: int) -> R:
        """One record; BookError when it is not there."""
        ...


class Snapshot:
    """The records of a book as they were at one moment, without the bins of sweeps."""

    def __init__(self, held: Mapping[type[Record], list[Any]]) -> None:
        self._held = dict(held)

    def all(self, kind: type[R], **where: Any) -> list[R]:
        records: list[R] = self._held[kind]
        return those(records, where)

    def get(self, kind: type[R], record_id: int) -> R:
        records: list[R] = self._held[kind]
        return the_one(records, kind, record_id)


def those(records: Sequence[R], where: Mapping[str, Any]) -> list[R]:
    """The records whose fields equal `where`."""
    return [r for r in records if all(getattr(r, name) == value for name, value in where.items())]


def the_one(records: Iterable[R], kind: type[R], record_id: int) -> R:
    """The record with an id; BookError when it is not there."""
    for record in records:
        if record.id == record_id:
            return record
    raise BookError(f"The {kind.__name__.lower()} numbered {record_id} is no longer in the book.")


def patched(held: Held, changes: Sequence[Change]) -> None:
    """Bring what is held up to date with changes that have landed."""
    for kind in {c.kind for c in changes} & held.keys():
        now = {r.id: r for r in held[kind]}
        for change in (c for c in changes if c.kind is kind):
            if change.after is not None:
                now[change.after.id] = change.after
            elif change.before is not None:
                del now[change.before.id]
        held[kind] = [now[i] for i in sorted(now)]
