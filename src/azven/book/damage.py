"""Books with damage: every record that can be read and can be what was written, and what is wrong with the others."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any, TypeVar

import sqlalchemy as sa

from azven.book.records import Record, Trace
from azven.book.soundness import fault
from azven.book.tables import TABLES

R = TypeVar("R", bound=Record)
_UNREADABLE = (LookupError, ValueError, TypeError, OverflowError)
"""What the columns of a damaged row raise: wrong words, text that is no JSON or no moment, values of another type."""
Everything = dict[type[Record], list[Any]]


@dataclass(frozen=True)
class Damage:
    """A record that is set aside, by its number, and what is wrong with it."""

    kind: type[Record]
    number: int
    wrong: str

    def words(self) -> str:
        return f"{self.kind.__name__.lower()} {self.number}: {self.wrong}"


def look_through(engine: sa.Engine) -> tuple[Everything, list[Damage]]:
    """All sound records but the bins of sweeps, and the damage; what hangs on a damaged record is damaged too."""
    found: list[Damage] = []
    read: Everything = {}
    with engine.connect() as connection:
        dangling = connection.exec_driver_sql("PRAGMA foreign_key_check").fetchall()
        for kind in (k for k in TABLES if k is not Trace):
            read[kind] = _sound(connection, kind, found)
    return (without_dangling(read, found) if found or dangling else read), found


def select(connection: sa.Connection, kind: type[R], where: Mapping[str, Any]) -> list[R]:
    """Records of a kind whose columns equal `where`, in the order of their ids."""
    table = TABLES[kind]
    query = sa.select(table).order_by(table.c.id)
    for name, value in where.items():
        query = query.where(table.c[name] == value)
    return [record(kind, row) for row in connection.execute(query)]


def record(kind: type[R], row: sa.Row[Any]) -> R:
    """The record of a row."""
    return kind(**row._mapping)


def _sound(connection: sa.Connection, kind: type[R], damaged: list[Damage]) -> list[R]:
    try:
        records = select(connection, kind, {})
    except _UNREADABLE:
        records = _row_by_row(connection, kind, damaged)
    wrong = [(r, fault(r)) for r in records]
    damaged += [Damage(kind, r.id, why) for r, why in wrong if why]
    return [r for r, why in wrong if not why]


def _row_by_row(connection: sa.Connection, kind: type[R], damaged: list[Damage]) -> list[R]:
    """Records that can be read; the others are told."""
    records: list[R] = []
    table = TABLES[kind]
    numbers: Sequence[Any] = connection.execute(sa.select(table.c.id).order_by(table.c.id)).scalars().all()
    for number in numbers:
        try:
            rows = connection.execute(sa.select(table).where(table.c.id == number)).all()
            records += [record(kind, row) for row in rows]
        except _UNREADABLE:
            damaged.append(Damage(kind, number, "it cannot be read"))
    return records


def without_dangling(read: Mapping[type[Record], list[Any]], damaged: list[Damage]) -> Everything:
    """The records without those that belong to one which is not there, and without references that may be missing.
    Parents come before children."""
    kinds = {table.name: kind for kind, table in TABLES.items()}
    out: Everything = {}
    for kind, records in read.items():
        keys = [(k.parent, kinds[k.column.table.name]) for k in TABLES[kind].foreign_keys]
        known = {column.name: {r.id for r in out[parent]} for column, parent in keys}
        out[kind] = []
        for item in records:
            gone = [(c, p) for c, p in keys if getattr(item, c.name) not in (None, *known[c.name])]
            damaged += [Damage(kind, item.id, f"the {p.__name__.lower()} it names cannot be read") for _, p in gone]
            if all(c.nullable for c, _ in gone):
                out[kind].append(replace(item, **{c.name: None for c, _ in gone}) if gone else item)
    return out
