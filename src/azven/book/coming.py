"""A kind of which there are many, read in steps while nobody waits for it."""

from collections.abc import Iterable
from typing import Generic, TypeVar

from azven.book.columns import table_name
from azven.book.damage import Damage, sound
from azven.book.edits import Change
from azven.book.engines import Engine
from azven.book.reading import Records
from azven.book.records import Record
from azven.book.rows import rows_above

R = TypeVar("R", bound=Record)


class Coming(Generic[R]):
    """Records of one kind in the order of their ids, as far as they have been read."""

    def __init__(self, kind: type[R]) -> None:
        self.kind = kind
        self.whole = False
        """Whether all have been read."""
        self.damaged: list[Damage] = []
        """Those that are set aside."""
        self._found: dict[int, R] = {}
        self._last = 0
        self._stands: bool | None = None

    def read(self, engine: Engine, count: int | None = None) -> None:
        """Read the next `count` records, or all that are left."""
        found = rows_above(engine, self.kind, self._last, count)
        self._found.update((r.id, r) for r in sound(self.kind, found, self.damaged))
        self.whole = count is None or len(found) < count
        if found:
            self._last = found[-1][0]

    def stands(self, engine: Engine) -> bool:
        """Whether nothing of this kind refers to what is not there, which is looked up once."""
        if self._stands is None:
            self._stands = not engine.dangling([table_name(self.kind)])
        return self._stands

    def patch(self, changes: Iterable[Change]) -> None:
        """Bring what has been read up to date with changes that have landed; what is left is read as it is by then."""
        for change in changes:
            if change.kind is self.kind:
                self._found.pop(change.record.id, None)
                if isinstance(change.after, self.kind):
                    self._found[change.after.id] = change.after

    def records(self) -> Records[R]:
        return Records({number: self._found[number] for number in sorted(self._found)})
