"""A package held against a book: what of it is known here, what is added, and what is told of it."""

from collections.abc import Iterable
from dataclasses import dataclass, replace
from typing import Any, Literal, TypeVar

from azven.book.columns import columns, kind_of, table_name
from azven.book.edits import Change, Edit, add
from azven.book.formats.handover import Package
from azven.book.reading import Supposed
from azven.book.records import Model, Origin, Record, Site
from azven.book.store import Store
from azven.refusal import Refusal
from azven.work.copying import Copier
from azven.work.register.handover.writing import key_of
from azven.work.wording import one_line

Fate = Literal["new", "is here", "differs", "left out"]
_FATES: tuple[Fate, ...] = ("new", "differs", "left out", "is here")
_PLURALS = {"frequency": "frequencies"}
_MOST = 10_000_000
R = TypeVar("R", bound=Record)


@dataclass(frozen=True)
class Line:
    """What becomes of something in a package, in words."""

    id: int
    fate: Fate
    what: str
    words: str


class Against:
    """`known` says which number here stands for a kind and number there."""

    def __init__(self, store: Store, package: Package) -> None:
        self.store, self.package = store, package
        self.changes: list[Change] = []
        self._lines: list[tuple[Fate, str, str]] = []
        self._added: dict[int, Record] = {}
        rows = store.page(Origin, 0, _MOST, book=package.about.book)
        self.known: dict[tuple[type[Record], int], int] = {(kind_of(r.kind), r.there): r.here for r in rows}
        self._before = set(self.known)
        self._own = key_of(store) == package.about.book

    def of(self, kind: type[R]) -> list[R]:
        """The records of a kind in the package."""
        return [r for r in self.package.records if isinstance(r, kind)]

    def one(self, kind: type[R]) -> R:
        """The one record of a kind in the package; Refusal where there is none."""
        found = self.of(kind)
        if not found:
            raise Refusal(f"The package names no {kind.__name__.lower()} that can be used; nothing was changed.")
        return found[0]

    def here(self, kind: type[R], number: int) -> R | None:
        """The record of this book that stands for one there."""
        at = self.known.get((kind, number), number if self._own else 0)
        added = self._added.get(at)
        if isinstance(added, kind):
            return added
        return next(iter(self.store.all(kind, id=at)), None) if at else None

    def gone(self, kind: type[Record], number: int) -> bool:
        """Whether it came here once and was removed since; then nothing is known of it any more."""
        gone = (kind, number) in self._before and self.here(kind, number) is None
        if gone:
            self.known.pop((kind, number), None)
        return gone

    def named(self, kind: type[R], name: str) -> R | None:
        """The only record of this book with a name."""
        found = [r for r in self.store.all(kind) if r.name.casefold() == name.casefold()]  # type: ignore[attr-defined]
        return found[0] if len(found) == 1 else None

    def now(self) -> "After":
        """The book as it would be with what is taken so far."""
        return After(self.store, Edit("", tuple(self.changes)))

    # -- taking ------------------------------------------------------------------------------------------

    def take(self, *changes: Change) -> None:
        """Have these changes made too."""
        self.changes += changes
        self._added |= {c.after.id: c.after for c in changes if c.after is not None}

    def add(self, *records: Record) -> list[Any]:
        """Records as new ones of this book; what they name follows what is known, those that belong to what is not here
        are left out."""
        fit = [r for record in records if (r := self._fitting(record)) is not None]
        copier = Copier(self.store, {number: here for (_, number), here in self.known.items()})
        made = copier.copies(fit)
        self.known |= {(type(r), r.id): m.id for r, m in zip(fit, made, strict=True)}
        self.take(*add(*made))
        return made

    def _fitting(self, record: Record) -> Record | None:
        """A record without what it names and is not here; None where it cannot be without."""
        gone = [
            c for c in columns(type(record))
            if c.refers and (number := getattr(record, c.name)) is not None
            and (kind_of(c.refers), number) not in self.known and not self._own
        ]  # fmt: skip
        if all(c.optional for c in gone):
            without: dict[str, Any] = {c.name: None for c in gone}
            return replace(record, **without)
        self.say("left out", _words(type(record)), f"no. {record.id}: what it belongs to is not in the package")
        return None

    def add_unknown(self, kind: type[Record]) -> tuple[int, int]:
        """The records of a kind that are not here, added; returns how many were, and how many are here."""
        fresh: list[Record] = []
        held = 0
        for record in self.of(kind):
            mine = self.here(kind, record.id)
            if mine is not None:
                self.known[kind, record.id] = mine.id
                held += 1
            elif not self.gone(kind, record.id):
                fresh.append(record)
        made = self.add(*fresh)
        self.count("new", _words(kind), len(made))
        return len(made), held

    def models(self, numbers: Iterable[int]) -> None:
        """Models by where they came from, else by name, else new."""
        theirs = {m.id: m for m in self.of(Model)}
        for number in dict.fromkeys(numbers):
            if number not in theirs:
                continue
            mine = self.here(Model, number) or self.named(Model, theirs[number].name)
            if mine is not None:
                self.known[Model, number] = mine.id
            else:
                self.add(theirs[number])
                self.say("new", "model", theirs[number].name)

    @property
    def site(self) -> int:
        """The number here of the site that the package is of."""
        return self.known[Site, self.one(Site).id]

    # -- telling -----------------------------------------------------------------------------------------

    def say(self, fate: Fate, what: str, words: str) -> None:
        """Tell what becomes of something."""
        self._lines.append((fate, what, one_line(words)))

    def count(self, fate: Fate, what: str, count: int, more: str = "") -> None:
        """Tell what becomes of so many, nothing of none."""
        if count:
            self.say(fate, what, f"{count} {what if count == 1 else _PLURALS.get(what, what + 's')}{more}")

    def told(self) -> tuple[Line, ...]:
        """The lines, what is new first."""
        ranked = sorted(self._lines, key=lambda x: _FATES.index(x[0]))
        return tuple(Line(k, *x) for k, x in enumerate(ranked, start=1))

    def origins(self) -> list[Origin]:
        """What was not known before, to be known the next time."""
        fresh = [k for k in self.known if k not in self._before and not self._own]
        first = self.store.reserve(len(fresh)) if fresh else 0
        book = self.package.about.book
        return [
            Origin(id=first + i, book=book, kind=table_name(kind), there=number, here=self.known[kind, number])
            for i, (kind, number) in enumerate(fresh)
        ]


def _words(kind: type[Record]) -> str:
    return {"design": "antenna system", "assignment": "frequency"}.get(name := table_name(kind), name.replace("_", " "))


class After(Supposed):
    """The book as it would be, whose new records have numbers of the book."""

    def __init__(self, store: Store, edit: Edit) -> None:
        super().__init__(store, edit)
        self._store = store

    def reserve(self, count: int = 1) -> int:
        return self._store.reserve(count)
