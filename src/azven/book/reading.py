"""Reading records: from the store, or from a snapshot of it, which never changes and may go to any thread."""

from collections.abc import Callable, Iterable, Mapping, Sequence, Set
from typing import Any, Protocol, TypeVar

from azven.book.edits import BookError, Change, Edit
from azven.book.records import Record

R = TypeVar("R", bound=Record)
_FEW = 100
Held = dict[type[Record], dict[int, Any]]
"""Records by their kind and id, in the order of their ids. What is held of a kind is never changed, only replaced."""


class Records(dict[int, R]):
    """Records of a kind by their ids, as they are held: those of one site, show or plan are found at once."""

    def __init__(self, records: Mapping[int, R]) -> None:
        super().__init__(records)
        self._by: dict[str, dict[int | None, list[R]]] = {}

    def after(self, changes: Sequence[Change]) -> "Records[R]":
        """The same after changes, in the order of their ids; what was found of them before is kept where few change."""
        now, in_order = dict[int, Any](self), True
        for change in changes:
            if change.after is not None:
                in_order = in_order and change.after.id in now
                now[change.after.id] = change.after
            elif change.before is not None:
                now.pop(change.before.id, None)
        if not in_order:  # what comes back stands where it stood
            now = {i: now[i] for i in sorted(now)}
        made = Records[R](now)
        if len(changes) <= _FEW:
            numbers = {c.record.id for c in changes}
            made._by = {name: self._regrouped(name, made, numbers) for name in self._by}
        return made

    def _regrouped(self, name: str, now: "Records[R]", changed: Set[int]) -> dict[int | None, list[R]]:
        """Those that refer to each record, where only those that changed are put anew."""
        groups = dict(self._by[name])
        for number in {getattr(x, name) for n in changed for x in (self.get(n), now.get(n)) if x is not None}:
            of_it = {x.id for x in groups.get(number, ())} | changed
            groups[number] = [now[i] for i in sorted(of_it) if i in now and getattr(now[i], name) == number]
        return groups

    def of(self, name: str, number: int | None) -> Sequence[R]:
        """Those that refer to a record by a field, in the order of their ids."""
        if name not in self._by:
            found: dict[int | None, list[R]] = {}
            for record in self.values():
                found.setdefault(getattr(record, name), []).append(record)
            self._by[name] = found
        return self._by[name].get(number, ())


class KindsHeld(Held):
    """What is held; a kind that was left for later is read when it is first asked for."""

    def __init__(self, read: Held, later: Callable[[type[Record]], dict[int, Any]]) -> None:
        super().__init__(read)
        self._later = later

    def __missing__(self, kind: type[Record]) -> dict[int, Any]:
        self[kind] = found = self._later(kind)
        return found


class Reading(Protocol):
    """What gives records."""

    def all(self, kind: type[R], **where: Any) -> list[R]:
        """Records of a kind whose columns equal `where`, in the order of their ids; BookError when unreadable."""
        ...

    def get(self, kind: type[R], record_id: int) -> R:
        """One record; BookError when it is not there."""
        ...


class Making(Reading, Protocol):
    """What gives records, and ids for new ones."""

    def reserve(self, count: int = 1) -> int:
        """The first of so many ids that nothing has."""
        ...


class Snapshot:
    """The records of a book as they were at one moment, without the bins of sweeps."""

    def __init__(self, held: Held) -> None:
        self._held = dict(held)

    def all(self, kind: type[R], **where: Any) -> list[R]:
        return those(self._held[kind], where)

    def get(self, kind: type[R], record_id: int) -> R:
        records: Mapping[int, R] = self._held[kind]
        return the_one(records, kind, record_id)


def by_id(records: Iterable[R]) -> dict[int, R]:
    """Records under their ids, in the order in which they come."""
    return {r.id: r for r in records}


def those(records: Mapping[int, R], where: Mapping[str, Any]) -> list[R]:
    """The records whose fields equal `where`."""
    if "id" in where:
        found = records.get(where["id"])
        records = {} if found is None else {found.id: found}
    left: Iterable[R] = records.values()
    refers = next((name for name in where if name.endswith("_id")), None)
    if refers is not None and isinstance(records, Records):
        left = records.of(refers, where[refers])
    for name, value in where.items():
        left = [r for r in left if getattr(r, name) == value]
    return list(left)


def the_one(records: Mapping[int, R], kind: type[R], record_id: int) -> R:
    """The record with an id; BookError when it is not there."""
    if (found := records.get(record_id)) is None:
        raise BookError(f"The {kind.__name__.lower()} numbered {record_id} is no longer in the book.")
    return found


def patched(held: Held, changes: Sequence[Change]) -> None:
    """Bring what is held up to date with changes that have landed."""
    for kind in {c.kind for c in changes} & held.keys():
        before = held[kind]
        known = before if isinstance(before, Records) else Records(before)
        held[kind] = known.after([c for c in changes if c.kind is kind])


class Supposed:
    """What is read, as it would be after an edit that nobody has made; what is new has negative numbers."""

    def __init__(self, reading: Reading, edit: Edit) -> None:
        self._reading = reading
        self._held: Held = {}
        self._changes = edit.changes
        self._kinds = {c.kind for c in edit.changes}
        self._new = 0

    def reserve(self, count: int = 1) -> int:
        self._new -= count
        return self._new

    def all(self, kind: type[R], **where: Any) -> list[R]:
        if kind not in self._kinds:
            return self._reading.all(kind, **where)
        return those(self._of(kind), where)

    def get(self, kind: type[R], record_id: int) -> R:
        if kind not in self._kinds:
            return self._reading.get(kind, record_id)
        return the_one(self._of(kind), kind, record_id)

    def _of(self, kind: type[R]) -> Mapping[int, R]:
        if kind not in self._held:
            self._held[kind] = by_id(self._reading.all(kind))
            patched(self._held, [c for c in self._changes if c.kind is kind])
        return self._held[kind]
