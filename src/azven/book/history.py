"""The history of a book: a line for every edit, written with it, and what it changed."""

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import TYPE_CHECKING, Any

from azven.book.author import Author
from azven.book.columns import BULKY, READ, as_json, columns, kind_of, table_name
from azven.book.edits import Change, Edit, differing
from azven.book.engines import Engine
from azven.book.engines.searching import escaped
from azven.book.records import Record, Retention

if TYPE_CHECKING:
    import sqlalchemy as sa

_THINNED_EVERY = 64
"""So many edits go by between two thinnings of the history."""


@dataclass(frozen=True, kw_only=True)
class Line:
    """An edit as the history has it; `records` is how many it changed."""

    id: int
    at: datetime
    who: str
    desk: str
    title: str
    records: int


@dataclass(frozen=True)
class Was:
    """What an edit did to a record, in JSON values: all fields of one that was added (no `before`) or removed (no
    `after`), else the fields that changed. Bins and drawings are left out unless the book keeps them."""

    kind: type[Record]
    record_id: int
    before: Mapping[str, Any] | None
    after: Mapping[str, Any] | None


@dataclass(frozen=True)
class News:
    """A record that an edit has changed, and whose edit it was."""

    number: int
    author: Author
    title: str
    mark: str
    kind: type[Record]
    record_id: int


# -- writing ---------------------------------------------------------------------------------------------


def write(connection: "sa.Connection", edit: Edit, author: Author, mark: str, kept: Retention) -> int:
    """Add the line of an edit that has landed, inside its transaction; returns its number. Old lines go as `kept` says.

    Whoever writes is alone, so numbers are without a gap and in the order of landing.
    """
    import sqlalchemy as sa

    from azven.book.tables import history, history_change

    number = int(connection.execute(sa.select(sa.func.coalesce(sa.func.max(history.c.id), 0))).scalar_one()) + 1
    line = {"id": number, "at": datetime.now(UTC), "who": author.who, "desk": author.desk}
    connection.execute(sa.insert(history).values(**line, title=edit.title, mark=mark))
    changes = [
        {"history_id": number, "position": i, "kind": table_name(c.kind), "record_id": c.record.id, **_sides(c, kept)}
        for i, c in enumerate(edit.changes)
    ]
    if changes:
        connection.execute(sa.insert(history_change), changes)
    if number % _THINNED_EVERY == 0:
        oldest = number - max(kept.edits, 1)
        connection.execute(sa.delete(history_change).where(history_change.c.history_id <= oldest))
        connection.execute(sa.delete(history).where(history.c.id <= oldest))
    return number


def _sides(change: Change, kept: Retention) -> dict[str, str | None]:
    before, after = change.before, change.after
    dropped = () if kept.bulky else tuple(c.name for c in columns(change.kind) if c.sort in BULKY)
    if before is not None and after is not None:
        names = [n for n in (*differing(before, after), "version") if n not in dropped]
    else:
        names = [c.name for c in columns(change.kind) if c.name not in dropped]
    return {"before": _text(before, names), "after": _text(after, names)}


def _text(record: Record | None, names: Sequence[str]) -> str | None:
    if record is None:
        return None
    values = as_json(type(record), {n: getattr(record, n) for n in names})
    return json.dumps(values, ensure_ascii=False, separators=(",", ":"))


# -- reading ---------------------------------------------------------------------------------------------


def latest(engine: Engine) -> int:
    """The number of the newest line, 0 for none."""
    return int(engine.rows("SELECT coalesce(max(id), 0) FROM history")[0][0])


def landed(engine: Engine, mark: str) -> bool:
    """Whether the edit with this mark is in the book."""
    return bool(engine.rows(f"SELECT id FROM history WHERE mark = {engine.mark}", [mark]))


def news(engine: Engine, since: int) -> list[News] | None:
    """What edits after the line numbered `since` have changed, oldest first; None where lines in between are gone."""
    oldest, newest = engine.rows("SELECT coalesce(min(id), 0), coalesce(max(id), 0) FROM history")[0]
    if newest > since and oldest > since + 1:
        return None
    found = engine.rows(
        "SELECT h.id, h.who, h.desk, h.title, h.mark, c.kind, c.record_id FROM history h "
        f"JOIN history_change c ON c.history_id = h.id WHERE h.id > {engine.mark} ORDER BY h.id, c.position",
        [since],
    )
    return [News(n, Author(who, desk), title, mark, kind_of(kind), i) for n, who, desk, title, mark, kind, i in found]


_LINES = (
    "SELECT h.id, h.at, h.who, h.desk, h.title, "
    "(SELECT count(*) FROM history_change c WHERE c.history_id = h.id) FROM history h"
)


def page(engine: Engine, words: str = "", below: int | None = None, count: int = 100) -> list[Line]:
    """Lines in which all `words` are found, in the title, in who or which desk made it or in what it changed, newest
    first; of these `count`, older than the one numbered `below`."""
    parts, values = [], []
    for word in words.split():
        fields = ("h.title", "h.who", "h.desk")
        within = " OR ".join(f"lower({f}) LIKE {engine.mark} ESCAPE '!'" for f in fields)
        inside = (
            "EXISTS (SELECT 1 FROM history_change c WHERE c.history_id = h.id AND "
            f"(lower(c.before) LIKE {engine.mark} ESCAPE '!' OR lower(c.after) LIKE {engine.mark} ESCAPE '!'))"
        )
        parts.append(f"({within} OR {inside})")
        values += [_pattern(word)] * 5
    if below is not None:
        parts.append(f"h.id < {engine.mark}")
        values.append(below)  # type: ignore[arg-type]
    condition = f" WHERE {' AND '.join(parts)}" if parts else ""
    found = engine.rows(f"{_LINES}{condition} ORDER BY h.id DESC LIMIT {int(count)}", values)
    return [_line(row) for row in found]


def _pattern(word: str) -> str:
    return f"%{escaped(word.lower())}%"


def _line(row: Any) -> Line:
    number, at, who, desk, title, records = row
    return Line(id=number, at=READ["moment"](at), who=who, desk=desk, title=title, records=records)


def last_of(engine: Engine, kind: type[Record], record_id: int) -> Line | None:
    """The newest line that has changed a record."""
    found = engine.rows(
        f"{_LINES} WHERE h.id = (SELECT max(history_id) FROM history_change "
        f"WHERE record_id = {engine.mark} AND kind = {engine.mark})",
        [record_id, table_name(kind)],
    )
    return _line(found[0]) if found else None


def changes(engine: Engine, number: int) -> tuple[Was, ...]:
    """What the edit of a line has changed, in the order in which it did."""
    found = engine.rows(
        f'SELECT kind, record_id, "before", "after" FROM history_change WHERE history_id = {engine.mark} '
        "ORDER BY position",
        [number],
    )
    return tuple(Was(kind_of(kind), i, _values(before), _values(after)) for kind, i, before, after in found)


def _values(text: str | None) -> dict[str, Any] | None:
    found: dict[str, Any] | None = None if text is None else json.loads(text)
    return found
