"""The records that a store holds: the small kinds all of them, of the large ones what was asked for."""

import threading
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from typing import Any, TypeVar

from azven.book import damage, history, others
from azven.book.columns import KINDS, LARGE, record_of, table_name
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
        known = by_id(self.all(kind, id=record_id)) if kind in LARGE else self._every(kind)
        return the_one(known, kind, record_id)

    def snapshot(self, units: Sequence[Unit] = ()) -> Snapshot:
        """The records that are held, as they are now, and of those that are not the given `units`."""
        held = {kind: self._every(kind) for kind in KINDS if kind not in LARGE}
        return Snapshot({**held, Unit: Records(by_id(units))})

    def read_the_rest(self) -> None:
        """Read what was left for later as the book was opened; BookError when it cannot be read."""
        for kind in KINDS:
            if kind not in LARGE:
                self._every(kind)

    def _every(self, kind: type[R]) -> dict[int, R]:
        self._mine()
        return self._read[kind]

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
        self.damaged = tuple(found)
        if self.damaged and not (self._read[Site] and self._read[Show]):
            raise BookError(f"{self.place} is damaged and was left as it is: {self.damage_in_words()}.")

    def _read_later(self, kind: type[Record]) -> dict[int, Any]:
        """A kind that was left for later. Where something in it is damaged everything is read, as it hangs together."""
        told: list[Damage] = []
        with self.told():
            read = damage.sound(kind, rows(self._engine, kind, {}), told)
            if told or self._engine.dangling([table_name(kind)]):
                self._hold(*damage.look_through(self._engine, whole=True))
                return self._read[kind]
        return Records(by_id(read))

    def damage_in_words(self) -> str:
        """The damaged records, the first of them by name."""
        said = "; ".join(d.words() for d in self.damaged[:_DAMAGE_SAID])
        more = len(self.damaged) - _DAMAGE_SAID
        return said + (f" and {more} more" if more > 0 else "")

    def _read_anew(self) -> Edit:
        """Everything is read again, where the history does not reach back to what was seen last."""
        before = self._read
        self._hold(*damage.look_through(self._engine, whole=True))
        self._answers.clear()
        return Edit("Changed elsewhere", others.difference(before, self._read), by="other desks", also=LARGE)

    def _take_over(self, *edits: Edit) -> None:
        """Bring what is held up to date with edits that have landed."""
        for edit in edits:
            patched(self._read, edit.changes)
            changes = {c.record.id: c for c in edit.changes if c.kind in LARGE}
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
