"""Books with damage: every record that can be read and can be what was written, and what is wrong with the others."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any, TypeVar

from azven.book.columns import HELD, KINDS, LARGE, columns, kind_of, record_of, records_of, table_name
from azven.book.engines import Engine
from azven.book.records import Record, Trace
from azven.book.rows import rows
from azven.book.soundness import all_sound, fault

R = TypeVar("R", bound=Record)
UNREADABLE = (LookupError, ValueError, TypeError, OverflowError)
"""What the columns of a damaged row raise: wrong words, text that is no JSON or no moment, values of another type."""
Everything = dict[type[Record], list[Any]]
_MANY = 200
"""Of a kind that has more records than so many, none is read as the book is opened."""
_FEW = 12
"""More records than so many are judged together, and one by one only where something is wrong."""
_PART = 1_000


@dataclass(frozen=True)
class Damage:
    """A record that is set aside, by its number, and what is wrong with it."""

    kind: type[Record]
    number: int
    wrong: str

    def words(self) -> str:
        return f"{self.kind.__name__.lower()} {self.number}: {self.wrong}"


def look_through(engine: Engine, whole: bool = False, thorough: bool = False) -> tuple[Everything, list[Damage]]:
    """All sound records of the kinds that are held, and the damage; what hangs on a damaged record is damaged too.
    Without `whole` a kind of which there are many is left out, as long as nothing is damaged: it is read when it is
    asked for.

    Kinds that are not held, which may be many, are looked at where there is other damage; else only with `thorough`,
    which takes as long as the book is large: types of their values, and whether what they belong to is there.
    """
    found: list[Damage] = []
    small = HELD if whole or thorough else _small(engine)
    read = {kind: sound(kind, rows(engine, kind, {}), found) for kind in small}
    doubtful = thorough and engine.ill_typed()
    if not (found or doubtful or engine.dangling([table_name(k) for k in (KINDS if thorough else read)])):
        return read, []
    everything = {
        kind: read[kind] if kind in read else sound(kind, rows(engine, kind, {}), found)
        for kind in KINDS
        if kind is not Trace
    }
    standing = without_dangling(everything, found)
    return {kind: records for kind, records in standing.items() if kind not in LARGE}, found


def _small(engine: Engine) -> list[type[Record]]:
    """The kinds that are held of which there are not many."""
    some = ", ".join(f'(SELECT count(*) FROM (SELECT 1 FROM "{table_name(k)}" LIMIT {_MANY + 1}) AS x)' for k in HELD)
    return [kind for kind, count in zip(HELD, engine.rows(f"SELECT {some}")[0], strict=True) if count <= _MANY]


def sound(kind: type[R], found: Iterable[Any], damaged: list[Damage]) -> list[R]:
    """The records of rows that can be read and can be what was written; the others are told. Many are judged in parts,
    so that other threads have their turn."""
    found = list(found)
    parts = (found[k : k + _PART] for k in range(0, len(found), _PART))
    return [record for part in parts for record in _sound_together(kind, part, damaged)]


def _sound_together(kind: type[R], found: Sequence[Any], damaged: list[Damage]) -> list[R]:
    try:
        alike = records_of(kind, found) if len(found) > _FEW else None
    except UNREADABLE:
        alike = None
    if alike is not None and all_sound(kind, alike):
        return alike
    records: list[R] = []
    for row in found:
        try:
            record = record_of(kind, row)
        except UNREADABLE:
            damaged.append(Damage(kind, row[0], "it cannot be read"))
            continue
        if why := fault(record):
            damaged.append(Damage(kind, record.id, why))
        else:
            records.append(record)
    return records


def without_dangling(read: Mapping[type[Record], list[Any]], damaged: list[Damage]) -> Everything:
    """The records without those that belong to one which is not there, and without references that may be missing.
    Parents come before children."""
    out: Everything = {}
    for kind, records in read.items():
        keys = [(c, kind_of(c.refers)) for c in columns(kind) if c.refers]
        known = {column.name: {r.id for r in out[parent]} for column, parent in keys}
        out[kind] = []
        for item in records:
            gone = [(c, p) for c, p in keys if getattr(item, c.name) not in (None, *known[c.name])]
            damaged += [Damage(kind, item.id, f"the {p.__name__.lower()} it names cannot be read") for _, p in gone]
            if all(c.optional for c, _ in gone):
                out[kind].append(replace(item, **{c.name: None for c, _ in gone}) if gone else item)
    return out
