"""The records that a store holds: the small kinds all of them, of the large ones what was asked for."""

import threading
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from typing import Any, TypeVar

from azven.book import damage, history, others
from azven.book.columns import HELD, LARGE, record_of
from azven.book.coming import Coming
from azven.book.damage import Damage
from azven.book.edits import BookError, Change, Edit
from azven.book.engines import Away, Engine
from azven.book.engines.rights import Rights
from azven.book.place import Place
from azven.book.reading import Held, KindsHeld, Records, Snapshot, by_id, patched, the_one, those
from azven.book.records import Record, Show, Site, Trace, Unit
from azven.book.rows import how_many, rows, rows_where

R = TypeVar("R", bound=Record)
_DAMAGE_SAID = 3
_ANSWERS = 2_000
"""So many answers about kinds that are not held are kept."""
_STEP = 400
"""So many records are read at once of what was left for later, which takes some milliseconds."""
_Question = tuple[type[Record], tuple[tuple[str, Any], ...]]


class Holding:
    """The reading half of a store. It belongs to the thread that made it."""

    def __init__(self, engine: Engine) -> None:
        self.place: Place = engine.place
        self.damaged: tuple[Damage, ...] = ()
        """Records that are set aside; where there are any the book is open for reading only."""
        self.rights = Rights()
        """What the desk may do with the book."""
        self._engine = engine
        self._thread = threading.get_ident()
        self._read: Held = {}
        self._coming: dict[type[Record], Coming[Any]] = {}
        """Kinds that were left for later, as far as they are read."""
        self._answers: dict[_Question, list[Any]] = {}
        self._seen = 0
        """The newest line of the history that what is held takes into account."""

    @property
    def engine(self) -> Engine:
        """The database of the book, for its history and for copying it."""
        self._mine()
        return self._engine

    def _mine(self) -> None:
        if threading.get_ident() != self._thread:
            raise RuntimeError("a store belongs to the thread that opened it; give others a snapshot")

    def all(self, kind: type[R], **where: Any) -> list[R]:
        """Records of a kind whose columns equal `where`, in the order of their ids; BookError when unreadable."""
        if kind is Trace:
            return self._asked(kind, where)
        if kind in LARGE:
            return list(self._answer(kind, where))
        return those(self._those_of(kind, where), where)

    def _answer(self, kind: type[R], where: Mapping[str, Any]) -> list[R]:
        question = (kind, tuple(sorted(where.items())))
        if question not in self._answers:
            found = self._asked(kind, where)
            if len(self._answers) >= _ANSWERS:
                self._answers.clear()
            self._answers[question] = found
        return self._answers[question]

    def page(self, kind: type[R], start: int, count: int, **where: Any) -> list[R]:
        """`count` of those records from the one numbered `start` on; BookError when unreadable."""
        return self._asked(kind, where, start, count)

    def where(self, kind: type[R], condition: str, values: Sequence[Any], page: str) -> list[R]:
        """Records on which a condition of SQL holds, in the order and as many as `page` says; BookError when
        unreadable."""
        with self.told():
            found = rows_where(self._engine, kind, condition, values, page)
        return self._sound(kind, found)

    def count(self, kind: type[R], **where: Any) -> int:
        """How many such records there are."""
        with self.told():
            return how_many(self._engine, kind, where)

    def get(self, kind: type[R], record_id: int) -> R:
        """One record; raises BookError when it is not there."""
        where = {"id": record_id}
        known = by_id(self._answer(kind, where)) if kind in LARGE else self._those_of(kind, where)
        return the_one(known, kind, record_id)

    def snapshot(self, units: Sequence[Unit] = ()) -> Snapshot:
        """The records that are held, as they are now, and of those that are not the given `units`."""
        held = {kind: self._every(kind) for kind in HELD}
        return Snapshot({**held, Unit: Records(by_id(units))})

    def read_the_rest(self) -> None:
        """Read what was left for later as the book was opened; BookError when it cannot be read."""
        for kind in HELD:
            self._every(kind)

    @property
    def unread(self) -> bool:
        """Whether there is more of what was left for later."""
        return self._next_kind() is not None

    def read_on(self) -> bool:
        """Read a little of what was left for later; whether there is more. BookError when it cannot be read."""
        if (kind := self._next_kind()) is not None:
            coming = self._coming.setdefault(kind, Coming(kind))
            with self.told():
                coming.read(self._engine, _STEP)
            if coming.whole:
                self._every(kind)
        return self.unread

    def _next_kind(self) -> type[Record] | None:
        return next((kind for kind in HELD if kind not in self._read), None)

    def _every(self, kind: type[R]) -> dict[int, R]:
        self._mine()
        return self._read[kind]

    def _those_of(self, kind: type[R], where: Mapping[str, Any]) -> Mapping[int, R]:
        """Records of a kind that is held, among them those that `where` asks for: of a kind that was left for later
        those alone that refer to the same record."""
        self._mine()
        name = next((n for n in where if n == "id" or n.endswith("_id")), None)
        if name is None or kind in self._read:
            return self._every(kind)
        with self.told():
            stands = self._coming.setdefault(kind, Coming(kind)).stands(self._engine)
        known = self.damaged
        found = self._answer(kind, {name: where[name]}) if stands else []
        return by_id(found) if stands and self.damaged == known else self._every(kind)

    def _asked(self, kind: type[R], where: Mapping[str, Any], start: int = 0, count: int | None = None) -> list[R]:
        with self.told():
            found = rows(self._engine, kind, where, start, count)
        if kind is Trace:
            return [record_of(kind, row) for row in found]
        return self._sound(kind, found)

    def _sound(self, kind: type[R], found: Sequence[Any]) -> list[R]:
        """The records of rows; what is damaged is set aside and told."""
        told: list[Damage] = []
        records = damage.sound(kind, found, told)
        self.damaged += tuple(d for d in told if d not in self.damaged)
        return records

    def _look_through(self, thorough: bool = False) -> None:
        """Read every kind that is held once; what does not fit, and what hangs on it, is set aside."""
        with self._engine.reading():
            self._seen = history.latest(self._engine)
            self.rights = self._engine.rights()
            self._hold(*damage.look_through(self._engine, thorough=thorough))

    def _hold(self, read: damage.Everything, found: Sequence[Damage]) -> None:
        self._read = KindsHeld({kind: Records(by_id(records)) for kind, records in read.items()}, self._read_later)
        self._coming.clear()
        self._answers.clear()
        self.damaged = tuple(found)
        if self.damaged and not (self._read[Site] and self._read[Show]):
            raise BookError(f"{self.place} is damaged and was left as it is: {self.damage_in_words()}.")

    def _read_later(self, kind: type[Record]) -> dict[int, Any]:
        """A kind that was left for later. Where something in it is damaged everything is read, as it hangs together."""
        coming = self._coming.setdefault(kind, Coming(kind))
        with self.told():
            if not coming.whole:
                coming.read(self._engine)
            if coming.damaged or not coming.stands(self._engine):
                self._hold(*damage.look_through(self._engine, whole=True))
                return self._read[kind]
        del self._coming[kind]
        self._answers = {question: found for question, found in self._answers.items() if question[0] is not kind}
        return coming.records()

    def damage_in_words(self) -> str:
        """The damaged records, the first of them by name."""
        said = "; ".join(d.words() for d in self.damaged[:_DAMAGE_SAID])
        more = len(self.damaged) - _DAMAGE_SAID
        return said + (f" and {more} more" if more > 0 else "")

    def _read_anew(self, whole: bool = False) -> Edit:
        """The book is read again as it was opened, or all of it, where the history does not reach back to what was seen
        last."""
        before = self._read
        self._hold(*damage.look_through(self._engine, whole))
        return self._different(before, "Changed elsewhere", by="other desks")

    def _different(self, before: Held, title: str, by: str = "") -> Edit:
        """What has changed since `before` was held: of kinds that were or are left for later, as of those that are not
        held, it is only known that something may have."""
        both = self._read.keys() & before.keys()
        unread = tuple(kind for kind in HELD if kind not in both)
        return Edit(title, others.difference(before, self._read), by=by, also=(*LARGE, *unread))

    def _known(self) -> Held:
        """What is held, and of kinds that were left for later what was asked for."""
        known: Held = dict(self._read)
        for (kind, _), found in self._answers.items():
            if kind not in self._read and kind not in LARGE:
                known.setdefault(kind, {}).update(by_id(found))
        return known

    def _take_over(self, *edits: Edit) -> None:
        """Bring what is held up to date with edits that have landed."""
        for edit in edits:
            patched(self._read, edit.changes)
            for coming in self._coming.values():
                coming.patch(edit.changes)
            changes = {c.record.id: c for c in edit.changes if c.kind not in self._read}
            for question, found in self._answers.items() if changes else ():
                self._answers[question] = answer_after(question, found, changes)
        strange = {kind for edit in edits for kind in edit.also}
        self._answers = {q: found for q, found in self._answers.items() if q[0] not in strange}

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


def answer_after(question: _Question, found: list[Any], changes: Mapping[int, Change]) -> list[Any]:
    """An answer about a kind that is not held, after changes by the ids of their records."""
    kind, where = question[0], dict(question[1])
    numbers = (changes.keys() & {where["id"]}) if "id" in where else changes.keys()
    mine = [changes[n] for n in numbers if changes[n].kind is kind]
    if not mine:
        return found
    now = by_id(found)
    for change in mine:
        now.pop(change.record.id, None)
        if change.after is not None and those({change.after.id: change.after}, where):
            now[change.after.id] = change.after
    return [now[number] for number in sorted(now)]
