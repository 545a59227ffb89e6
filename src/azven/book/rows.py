"""Records out of a database, by plain statements that both engines understand."""

from collections.abc import Iterable, Mapping, Sequence
from typing import Any, TypeVar

from azven.book.columns import columns, of_each_kind, record_of, table_name
from azven.book.engines import Engine
from azven.book.records import Record

R = TypeVar("R", bound=Record)


@of_each_kind
def _select(kind: type[Record]) -> str:
    listed = ", ".join(f'"{c.name}"' for c in columns(kind))
    return f'SELECT {listed} FROM "{table_name(kind)}"'


def _condition(engine: Engine, where: Mapping[str, Any]) -> tuple[str, list[Any]]:
    """The condition that columns equal values, are one of several where a list is given, or are missing for None."""
    parts, values = [], []
    for name, value in where.items():
        if value is None:
            parts.append(f'"{name}" IS NULL')
        elif isinstance(value, list):
            parts.append(f'"{name}" IN ({", ".join(engine.mark for _ in value)})' if value else "1 = 0")
            values += value
        else:
            parts.append(f'"{name}" = {engine.mark}')
            values.append(value)
    return (" WHERE " + " AND ".join(parts) if parts else ""), values


def rows(
    engine: Engine, kind: type[Record], where: Mapping[str, Any], start: int = 0, count: int | None = None
) -> list[Any]:
    """Rows of a kind whose columns equal `where`, in the order of their ids; of these `count` from `start` on."""
    condition, values = _condition(engine, where)
    page = f" LIMIT {int(count)} OFFSET {int(start)}" if count is not None else ""
    return engine.rows(f"{_select(kind)}{condition} ORDER BY id{page}", values)


def rows_where(engine: Engine, kind: type[Record], condition: str, values: Sequence[Any], page: str) -> list[Any]:
    """Rows of a kind on which a condition of SQL holds, in the order and as many as `page` says."""
    return engine.rows(f"{_select(kind)} WHERE {condition} {page}", values)


def how_many(engine: Engine, kind: type[Record], where: Mapping[str, Any]) -> int:
    """The number of such rows."""
    condition, values = _condition(engine, where)
    return int(engine.rows(f'SELECT count(*) FROM "{table_name(kind)}"{condition}', values)[0][0])


def rows_above(engine: Engine, kind: type[Record], last: int, count: int | None) -> list[Any]:
    """The next `count` rows in the order of their ids, after the one numbered `last`; all of them for None."""
    limit = f" LIMIT {int(count)}" if count is not None else ""
    return engine.rows(f"{_select(kind)} WHERE id > {engine.mark} ORDER BY id{limit}", [last])


def above(engine: Engine, kind: type[R], last: int, count: int) -> list[R]:
    """The records of these rows."""
    return [record_of(kind, row) for row in rows_above(engine, kind, last, count)]


_AT_A_TIME = 500


def with_ids(engine: Engine, kind: type[R], numbers: Iterable[int]) -> list[R]:
    """The records with these ids that are there."""
    wanted: Sequence[int] = sorted(numbers)
    parts = [wanted[i : i + _AT_A_TIME] for i in range(0, len(wanted), _AT_A_TIME)]
    return [record_of(kind, row) for part in parts for row in rows(engine, kind, {"id": list(part)})]
