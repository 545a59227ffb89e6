"""The tables behind the records, and how their values are written."""

import json
import re
import zlib
from dataclasses import fields, replace
from datetime import UTC, datetime
from typing import Any, Literal, TypeVar, get_args, get_origin, get_type_hints

import numpy as np
import sqlalchemy as sa
from numpy.typing import NDArray
from sqlalchemy.engine import Dialect

from azven.book import records as r

R = TypeVar("R", bound=r.Record)
APPLICATION_ID = 0x417A7665
"""SQLite's application_id of a book: the letters Azve."""
REVISION = "0005"
REVISIONS = ("0001", "0002", "0003", "0004", "0005")
"""Every revision that this version of Azven knows, oldest first."""

metadata = sa.MetaData(
    naming_convention={
        "ix": "ix_%(column_0_label)s",
        "uq": "uq_%(table_name)s_%(column_0_name)s",
        "ck": "ck_%(table_name)s_%(constraint_name)s",
        "fk": "fk_%(table_name)s_%(column_0_name)s_%(referred_table_name)s",
        "pk": "pk_%(table_name)s",
    }
)


class Utc(sa.TypeDecorator[datetime]):
    """A moment in UTC; SQLite forgets the zone, so it is taken off and put back."""

    impl = sa.DateTime
    cache_ok = True

    def process_bind_param(self, value: datetime | None, dialect: Dialect) -> datetime | None:
        return None if value is None else value.astimezone(UTC).replace(tzinfo=None)

    def process_result_value(self, value: datetime | None, dialect: Dialect) -> datetime | None:
        return None if value is None else value.replace(tzinfo=UTC)


class Json(sa.TypeDecorator[Any]):
    """A list or an object as JSON text; lists come back as tuples, all the way down."""

    impl = sa.Text
    cache_ok = True

    def process_bind_param(self, value: Any, dialect: Dialect) -> str | None:
        return None if value is None else json.dumps(value, ensure_ascii=False, separators=(",", ":"))

    def process_result_value(self, value: str | None, dialect: Dialect) -> Any:
        return None if value is None else frozen(json.loads(value))


def frozen(value: Any) -> Any:
    """Lists as tuples, all the way down: the form in which JSON columns are read back."""
    if isinstance(value, list):
        return tuple(frozen(v) for v in value)
    if isinstance(value, dict):
        return {k: frozen(v) for k, v in value.items()}
    return value


_MOST_BINS = 20_000_000


def _unpacked(data: bytes, size: int) -> bytes:
    """Compressed values of `size` bytes each; ValueError when they do not unpack, or to more than a sweep can hold."""
    if not isinstance(data, bytes):
        raise ValueError("the bins are no packed values")
    engine = zlib.decompressobj()
    try:
        found = engine.decompress(data, _MOST_BINS * size)
    except zlib.error as error:
        raise ValueError(f"the bins do not unpack ({error})") from error
    if engine.unconsumed_tail or not engine.eof or len(found) % size:
        raise ValueError("the bins do not unpack to a sweep")
    return found


class Frequencies(sa.TypeDecorator[Any]):
    """Ascending int64 hertz as compressed differences: equal steps shrink to almost nothing."""

    impl = sa.LargeBinary
    cache_ok = True

    def process_bind_param(self, value: Any, dialect: Dialect) -> bytes:
        return zlib.compress(np.diff(value, prepend=0).astype("<i8").tobytes(), 6)

    def process_result_value(self, value: bytes | None, dialect: Dialect) -> Any:
        return np.cumsum(np.frombuffer(_unpacked(value or b"", 8), "<i8")).astype(np.int64)


class Levels(sa.TypeDecorator[Any]):
    """Levels in dBm as compressed 16-bit hundredths of a decibel, ±327 dB."""

    impl = sa.LargeBinary
    cache_ok = True

    def process_bind_param(self, value: Any, dialect: Dialect) -> bytes:
        return zlib.compress(np.clip(np.round(np.asarray(value) * 100), -32768, 32767).astype("<i2").tobytes(), 1)

    def process_result_value(self, value: bytes | None, dialect: Dialect) -> Any:
        return np.frombuffer(_unpacked(value or b"", 2), "<i2").astype(np.float64) / 100


KEY = sa.BigInteger().with_variant(sa.Integer(), "sqlite")
HERTZ = sa.BigInteger()


def hints(kind: type[r.Record]) -> dict[str, Any]:
    """The types of a record's fields, by name."""
    if kind not in _hints:
        _hints[kind] = get_type_hints(kind)
    return _hints[kind]


_hints: dict[type[r.Record], dict[str, Any]] = {}
_TYPES: dict[Any, Any] = {
    str: sa.Text(), int: sa.Integer(), float: sa.Float(), bool: sa.Boolean(), bytes: sa.LargeBinary(),
    datetime: Utc(), NDArray[np.int64]: Frequencies(), NDArray[np.float64]: Levels(),
}  # fmt: skip
_WORDS_AS_TEXT = {
    (r.Sweep, "detector"),
    (r.KeptPlan, "school"),
    *((r.Antenna, f) for f in ("side", "kind", "polarisation")),
}
"""Closed sets whose columns hold any text, as they always have; what is none of the set is set aside as it is read."""


def _column(kind: type[r.Record], name: str) -> sa.Column[Any]:
    """The column of a field, from its type and name: `zone_id` and `zone_a_id` refer to a zone, `_hz` is hertz."""
    hint = hints(kind)[name]
    parts = get_args(hint)
    optional = type(None) in parts
    if optional:
        (hint,) = (p for p in parts if p is not type(None))
    if name.endswith("_id"):
        return sa.Column(name, KEY, sa.ForeignKey(f"{name.split('_')[0]}.id"), nullable=optional, index=True)
    return sa.Column(name, _type(kind, name, hint), nullable=optional)


def _type(kind: type[r.Record], name: str, hint: Any) -> Any:
    if get_origin(hint) is Literal:
        if (kind, name) in _WORDS_AS_TEXT:
            return sa.Text()
        return sa.Enum(*get_args(hint), name=name, native_enum=False, create_constraint=True)
    if name.endswith("_hz") and hint is int:
        return HERTZ
    return _TYPES.get(hint) or Json()


def _table(kind: type[r.Record]) -> sa.Table:
    name = re.sub(r"(?<!^)(?=[A-Z])", "_", kind.__name__).lower()
    head = (
        sa.Column("id", KEY, primary_key=True, autoincrement=False),
        sa.Column("version", sa.Integer(), nullable=False),
    )
    return sa.Table(name, metadata, *head, *(_column(kind, f.name) for f in fields(kind)[len(head) :]))


TABLES: dict[type[r.Record], sa.Table] = {
    kind: _table(kind)
    for kind in (
        r.Region, r.Site, r.Zone, r.Relation, r.Neighbour, r.Sweep, r.Trace, r.Model, r.Unit, r.Show, r.Act, r.Link,
        r.Plan, r.Assignment, r.KeptPlan, r.Permit, r.Wall, r.Area, r.Mount, r.Antenna, r.Backdrop, r.Design,
    )
}  # fmt: skip
"""Record class to table, parents before children."""

counter = sa.Table("counter", metadata, sa.Column("next_id", KEY, nullable=False))
revision = sa.Table("alembic_version", sa.MetaData(), sa.Column("version_num", sa.String(32), nullable=False))


def as_read(record: R) -> R:
    """The record as it will be read back from the book."""
    changed = {f.name: frozen(v) for f in fields(record) if isinstance(v := getattr(record, f.name), list | dict)}
    return replace(record, **changed) if changed else record


def values(record: r.Record) -> dict[str, Any]:
    """The columns of a record as a dictionary."""
    return {f.name: getattr(record, f.name) for f in fields(record)}
