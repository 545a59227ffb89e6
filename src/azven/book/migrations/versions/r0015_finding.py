"""When a unit was last counted or scanned, how old its cells are and how long they ran; questions that are kept;
what a book is called by others, where its records came from; hours of links."""

from typing import Any

import sqlalchemy as sa
from alembic import op

from azven.book import tables

revision = "0015"
down_revision = "0014"

KEY = sa.BigInteger().with_variant(sa.Integer(), "sqlite")
T = sa.Text()


def upgrade() -> None:
    for name, kind in (("seen", tables.Utc()), ("cells_since", tables.Utc()), ("ran_min", sa.Float())):
        op.add_column("unit", sa.Column(name, kind, nullable=True))
    op.execute(
        'UPDATE unit SET seen = (SELECT max(deed."at") FROM deed WHERE deed.unit_id = unit.id '
        "AND deed.deed IN ('count', 'scan'))"
    )
    _table("kept_question", sa.Column("name", T, nullable=False), sa.Column("asked", tables.Json(), nullable=False))
    _table("book_key", sa.Column("key", T, nullable=False))
    _table(
        "origin", sa.Column("book", T, nullable=False), sa.Column("kind", T, nullable=False),
        sa.Column("there", sa.Integer(), nullable=False), sa.Column("here", sa.Integer(), nullable=False),
    )  # fmt: skip
    whole, real = (sa.Integer(), sa.Float())
    _table(
        "hour", *(sa.Column(name, whole, nullable=False) for name in ("show", "site", "link", "unit")),
        sa.Column("at", tables.Utc(), nullable=False),
        *(sa.Column(name, real, nullable=False) for name in ("heard_s", "muted_s")),
        *(sa.Column(name, real, nullable=True) for name in ("worst_dbm", "battery")),
    )  # fmt: skip


def _table(name: str, *own: sa.Column[Any]) -> None:
    op.create_table(
        name,
        sa.Column("id", KEY, autoincrement=False, nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        *own,
        sa.PrimaryKeyConstraint("id", name=op.f(f"pk_{name}")),
    )
