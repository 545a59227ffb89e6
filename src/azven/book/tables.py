"""The tables behind the records, as SQLAlchemy has them."""

from typing import Any

import sqlalchemy as sa
from sqlalchemy.engine import Dialect

from azven.book import records as r
from azven.book.columns import KINDS, PACK, READ, Column, Sort, columns, table_name

metadata = sa.MetaData(
    naming_convention={
        "ix": "ix_%(column_0_label)s",
        "uq": "uq_%(table_name)s_%(column_0_name)s",
        "ck": "ck_%(table_name)s_%(constraint_name)s",
        "fk": "fk_%(table_name)s_%(column_0_name)s_%(referred_table_name)s",
        "pk": "pk_%(table_name)s",
    }
)


class _Written(sa.TypeDecorator[Any]):
    """Values of a sort, written and read as `columns` says."""

    impl: type[sa.types.TypeEngine[Any]] = sa.Text
    cache_ok = True
    sort: Sort

    def process_bind_param(self, value: Any, dialect: Dialect) -> Any:
        return None if value is None else PACK[self.sort](value)

    def process_result_value(self, value: Any, dialect: Dialect) -> Any:
        return None if value is None else READ[self.sort](value)


class Utc(_Written):
    """A moment in UTC."""

    impl = sa.DateTime
    cache_ok = True
    sort = "moment"


class Json(_Written):
    """A list or an object as JSON text; lists come back as tuples, all the way down."""

    cache_ok = True
    sort = "json"


class Frequencies(_Written):
    """Ascending int64 hertz."""

    impl = sa.LargeBinary
    cache_ok = True
    sort = "frequencies"


class Levels(_Written):
    """Levels in dBm."""

    impl = sa.LargeBinary
    cache_ok = True
    sort = "levels"


KEY = sa.BigInteger().with_variant(sa.Integer(), "sqlite")
_TYPES: dict[Sort, Any] = {
    "key": KEY, "whole": sa.Integer(), "hertz": sa.BigInteger(), "real": sa.Float(), "text": sa.Text(),
    "truth": sa.Boolean(), "bytes": sa.LargeBinary(), "moment": Utc(), "json": Json(), "frequencies": Frequencies(),
    "levels": Levels(),
}  # fmt: skip


_WORDS_AS_TEXT = {
    ("sweep", "detector"),
    ("kept_plan", "school"),
    ("unit", "state"),
    ("distance", "clutter"),
    *(("deed", name) for name in ("deed", "before", "after")),
    *(("antenna", name) for name in ("side", "kind", "polarisation")),
}
"""Closed sets whose columns hold any text, as they always have: a migration that forbade other words would keep a book
with one wrong word from being opened at all. What is none of the set is set aside as it is read."""


def _column(table: str, column: Column) -> sa.Column[Any]:
    if column.name == "id":
        return sa.Column("id", KEY, primary_key=True, autoincrement=False)
    if column.refers:
        key = sa.ForeignKey(f"{column.refers}.id")
        return sa.Column(column.name, KEY, key, nullable=column.optional, index=True)
    kind = _TYPES[column.sort]
    if column.words and (table, column.name) not in _WORDS_AS_TEXT:
        kind = sa.Enum(*column.words, name=column.name, native_enum=False, create_constraint=True)
    return sa.Column(column.name, kind, nullable=column.optional)


TABLES: dict[type[r.Record], sa.Table] = {
    kind: sa.Table(table_name(kind), metadata, *(_column(table_name(kind), c) for c in columns(kind))) for kind in KINDS
}
"""Record class to table, parents before children."""

counter = sa.Table("counter", metadata, sa.Column("next_id", KEY, nullable=False))
history = sa.Table(
    "history",
    metadata,
    sa.Column("id", KEY, primary_key=True, autoincrement=False),
    sa.Column("at", Utc(), nullable=False),
    sa.Column("who", sa.Text(), nullable=False),
    sa.Column("desk", sa.Text(), nullable=False),
    sa.Column("title", sa.Text(), nullable=False),
    sa.Column("mark", sa.Text(), nullable=False, unique=True),
)
history_change = sa.Table(
    "history_change",
    metadata,
    sa.Column("history_id", KEY, sa.ForeignKey("history.id"), primary_key=True),
    sa.Column("position", sa.Integer(), primary_key=True, autoincrement=False),
    sa.Column("kind", sa.Text(), nullable=False),
    sa.Column("record_id", KEY, nullable=False),
    sa.Column("before", sa.Text()),
    sa.Column("after", sa.Text()),
    sa.Index("ix_history_change_record_id", "record_id"),
)
revision = sa.Table("alembic_version", sa.MetaData(), sa.Column("version_num", sa.String(32), nullable=False))
