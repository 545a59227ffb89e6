"""The history of a book for people: its lines, what each changed, and taking one back long after."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

from azven.book import history
from azven.book.columns import columns, from_json
from azven.book.edits import Change, Collision, Edit, add, differing, replace_record
from azven.book.history import Line, Was
from azven.book.reading import Reading
from azven.book.records import Record, Retention
from azven.book.store import Store
from azven.refusal import Refusal
from azven.work.desks.collisions import pairs
from azven.work.desks.naming import field_word, kind_word, thing, value
from azven.work.wording import listed

__all__ = ["Detail", "Line", "details", "keep", "kept", "lines", "taken_back"]

FEWEST_EDITS, MOST_EDITS = 100, 1_000_000


@dataclass(frozen=True)
class Detail:
    """A field that an edit changed, or a record that it added or removed (`field` is empty then)."""

    id: int
    thing: str
    field: str
    before: str
    after: str


def lines(store: Store, words: str = "", below: int | None = None, count: int = 200) -> list[Line]:
    """Lines of the history that hold all `words`, newest first, older than the one numbered `below`."""
    with store.told():
        return history.page(store.engine, words, below, count)


def details(store: Store, number: int) -> list[Detail]:
    """What the edit of a line has changed."""
    with store.told():
        found = history.changes(store.engine, number)
    parts = [part for was in found for part in _details(store, was)]
    return [Detail(i, *part) for i, part in enumerate(parts)]


def _details(store: Store, was: Was) -> list[tuple[str, str, str, str]]:
    name = _called(store, was)
    if was.before is None:
        return [(name, "", "", "added")]
    if was.after is None:
        return [(name, "", "removed", "")]
    before, after = from_json(was.kind, was.before), from_json(was.kind, was.after)
    return [
        (name, field_word(f), value(store, was.kind, f, before[f]), value(store, was.kind, f, after[f]))
        for f in after
        if f != "version"
    ]


def _called(store: Store, was: Was) -> str:
    """The thing as it is called now, or was when it was there last."""
    now = _now(store, was.kind, was.record_id)
    if now is not None:
        return thing(store, now)
    values = was.after or was.before or {}
    name = next((str(values[f]) for f in ("name", "title", "place") if f in values), f"no. {was.record_id}")
    return f"{kind_word(was.kind)} “{name}”"


def _now(book: Reading, kind: type[Record], number: int) -> Record | None:
    return next(iter(book.all(kind, id=number)), None)


# -- taking back -----------------------------------------------------------------------------------------


def taken_back(store: Store, line: Line) -> Edit:
    """An edit that takes an old one back; what others have changed since in the same fields is told, not overwritten.

    Raises Refusal when a record has changed since or is gone, when the history does not hold what was removed, or
    when nothing is left to take back.
    """
    with store.told():
        found = history.changes(store.engine, line.id)
    state = _State(store)
    changes = [change for was in reversed(found) if (change := state.reversed(was)) is not None]
    if not changes:
        raise Refusal(f"Nothing is left to take back of “{line.title}”.")
    return Edit(f"Take back: {line.title.removeprefix('Take back: ')}", tuple(changes))


class _State:
    """The book as it becomes while the parts of an edit are taken back, the last first."""

    def __init__(self, store: Store) -> None:
        self._store = store
        self._now: dict[tuple[type[Record], int], Record | None] = {}

    def reversed(self, was: Was) -> Change | None:
        key = was.kind, was.record_id
        now = self._now[key] if key in self._now else _now(self._store, *key)
        change = self._reversed(was, now)
        if change is not None:
            self._now[key] = change.after
        return change

    def _reversed(self, was: Was, now: Record | None) -> Change | None:
        if was.before is None:
            return self._unadded(was, now)
        if was.after is None:
            return None if now is not None else Change(None, self._restored(was, from_json(was.kind, was.before)))
        if now is None:
            raise Refusal(f"The {_called(self._store, was)} was removed since; bring it back first.")
        before, after = from_json(was.kind, was.before), from_json(was.kind, was.after)
        fields = [f for f in after if f != "version" and getattr(now, f) != before[f]]
        self._refuse_what_changed(was, now, before, [f for f in fields if getattr(now, f) != after[f]])
        return Change(now, replace(now, **{f: before[f] for f in fields})) if fields else None

    def _unadded(self, was: Was, now: Record | None) -> Change | None:
        if now is None:
            return None
        added = from_json(was.kind, was.after or {})
        changed = [f for f in added if f != "version" and differing(now, replace(now, **{f: added[f]}))]
        self._refuse_what_changed(was, now, added, changed)
        return Change(now, None)

    def _restored(self, was: Was, values: dict[str, Any]) -> Record:
        missing = [c.name for c in columns(was.kind) if c.name not in values]
        if missing:
            raise Refusal(
                f"The {_called(self._store, was)} cannot be brought back: the history was told not to keep "
                f"{listed([field_word(m) for m in missing])}."
            )
        return was.kind(**values)

    def _refuse_what_changed(self, was: Was, now: Record, wanted: dict[str, Any], fields: Sequence[str]) -> None:
        if not fields:
            return
        collisions = [Collision(f, wanted[f], getattr(now, f)) for f in fields]
        said = [
            f"{name} is {theirs} now and was {mine}" for name, theirs, mine in pairs(self._store, was.kind, collisions)
        ]
        raise Refusal(f"The {thing(self._store, now)} has changed since: {listed(said, 3)}. Nothing was taken back.")


# -- how much is kept --------------------------------------------------------------------------------------


def kept(book: Reading) -> Retention:
    """How much of its history the book keeps."""
    return next(iter(book.all(Retention)), Retention())


def keep(store: Store, edits: int, bulky: bool) -> Edit:
    """Keep so many edits from now on, with bins of sweeps and drawings or without; Refusal for too few or too many."""
    if not FEWEST_EDITS <= edits <= MOST_EDITS:
        raise Refusal(f"A book keeps {FEWEST_EDITS} to {MOST_EDITS:,} edits of its history.")
    now = kept(store)
    wanted = replace(now, edits=edits, bulky=bulky)
    if not now.id:
        return Edit("Keep history", add(replace(wanted, id=store.reserve()))) if wanted != now else Edit("Keep history")
    return Edit("Keep history", replace_record(now, wanted))
