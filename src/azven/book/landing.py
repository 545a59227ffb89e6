"""Writing the changes of an edit inside a transaction, and what happens where others have changed the same record."""

from collections.abc import Iterable, Sequence
from dataclasses import replace
from itertools import groupby

import sqlalchemy as sa

from azven.book.columns import as_read
from azven.book.edits import Change, Collision, ConflictError, ForbiddenError, differing, same
from azven.book.engines import Engine
from azven.book.records import Record
from azven.book.rows import with_ids
from azven.book.tables import TABLES


def land(engine: Engine, connection: sa.Connection, changes: Sequence[Change]) -> tuple[Change, ...]:
    """Write changes in their order, neighbouring additions of one kind together, and return them as they landed.

    Where others have changed other fields of a record meanwhile, theirs stay and ours are added. What others have done
    already is left out. Raises ConflictError where both have changed the same field.
    """
    landed: list[Change] = []
    for (kind, adds, names), neighbours in groupby(changes, key=_sort):
        run = list(neighbours)
        if adds:
            landed += _add(engine, connection, kind, [_new(c) for c in run])
        elif names and len(run) >= _TOGETHER and (together := _updated_together(connection, kind, run, names)):
            landed += together
        else:
            landed += [done for c in run if (done := _write(engine, connection, c)) is not None]
    return tuple(landed)


_TOGETHER = 4
"""So many changes of the same fields are sent to the database as one."""


def _sort(change: Change) -> tuple[type[Record], bool, tuple[str, ...]]:
    """What neighbouring changes have in common to be written together: kind, whether they add, fields that change."""
    before, after = change.before, change.after
    names = differing(before, as_read(after)) if before is not None and after is not None else ()
    return change.kind, before is None, names


def _updated_together(
    connection: sa.Connection, kind: type[Record], run: Sequence[Change], names: Sequence[str]
) -> list[Change]:
    """Changes of the same fields of many records, if every one is there in the version that was read; else nothing is
    written, and none returned."""
    table = TABLES[kind]
    statement = (
        sa.update(table)
        .where(table.c.id == sa.bindparam("the_id"), table.c.version == sa.bindparam("the_version"))
        .values({name: sa.bindparam(f"new_{name}") for name in (*names, "version")})
    )
    done, values = [], []
    for before, after in ((c.before, as_read(c.after)) for c in run if c.before is not None and c.after is not None):
        now = replace(after, version=before.version + 1)
        done.append(Change(before, now))
        values.append(
            {"the_id": before.id, "the_version": before.version}
            | {f"new_{name}": getattr(now, name) for name in (*names, "version")}
        )
    savepoint = connection.begin_nested()
    if connection.execute(statement, values).rowcount == len(values):
        savepoint.commit()
        return done
    savepoint.rollback()
    return []


def _new(change: Change) -> Record:
    assert change.after is not None
    if not change.after.id:
        raise ValueError("reserve an id before adding a record")
    return as_read(replace(change.after, version=change.after.version + 1))


def _add(engine: Engine, connection: sa.Connection, kind: type[Record], new: Sequence[Record]) -> list[Change]:
    """Add records; what comes back after a removal may be back already."""
    there = {r.id: r for r in with_ids(engine, kind, [r.id for r in new if r.version > 1])}
    for record in (r for r in new if r.id in there and not same(r, there[r.id])):
        raise ConflictError(there[record.id], record, kind, _in_the_way(record, there[record.id]))
    missing = [r for r in new if r.id not in there]
    if missing:
        connection.execute(sa.insert(TABLES[kind]), [vars(r) for r in missing])
    return [Change(None, r) for r in missing]


def _write(engine: Engine, connection: sa.Connection, change: Change) -> Change | None:
    """Write a change or a removal; None where it has been done already."""
    before, after = change.before, change.after
    assert before is not None
    if after is None:
        return _remove(engine, connection, before)
    after = as_read(after)
    mine = differing(before, after)
    if mine and _updated(connection, before, after, mine):
        return Change(before, replace(after, version=before.version + 1))
    current = _current(engine, before)
    if current is None:
        raise ConflictError(None, after, change.kind)
    open_fields = [f for f in mine if f in differing(after, current)]
    theirs = differing(before, current)
    if collisions := [f for f in open_fields if f in theirs]:
        found = tuple(Collision(f, getattr(after, f), getattr(current, f)) for f in collisions)
        raise ConflictError(current, after, change.kind, found)
    if not open_fields:
        return None
    merged = replace(current, **{f: getattr(after, f) for f in open_fields})
    if not _updated(connection, current, merged, open_fields):
        # nobody else may write meanwhile: the row is one that the role may not change
        raise ForbiddenError(f"The server does not let your role change this {change.kind.__name__.lower()}; nothing "
                             "was changed. Ask whoever looks after the server.")  # fmt: skip
    return Change(current, replace(merged, version=current.version + 1))


def _remove(engine: Engine, connection: sa.Connection, before: Record) -> Change | None:
    kind, table = type(before), TABLES[type(before)]
    current = _current(engine, before)
    if current is None:
        return None
    if not same(current, before):
        raise ConflictError(current, None, kind, _in_the_way(before, current))
    connection.execute(sa.delete(table).where(table.c.id == current.id, table.c.version == current.version))
    return Change(current, None)


def _in_the_way(mine: Record, theirs: Record) -> tuple[Collision, ...]:
    return tuple(Collision(f, getattr(mine, f), getattr(theirs, f)) for f in differing(mine, theirs))


def _updated(connection: sa.Connection, before: Record, after: Record, names: Iterable[str]) -> bool:
    """Whether the row was there in the version that was read, and now has the new values."""
    table = TABLES[type(before)]
    values = {name: getattr(after, name) for name in names} | {"version": before.version + 1}
    done = connection.execute(
        sa.update(table).where(table.c.id == before.id, table.c.version == before.version).values(values)
    )
    return done.rowcount == 1


def _current(engine: Engine, record: Record) -> Record | None:
    return next(iter(with_ids(engine, type(record), [record.id])), None)
