"""How units stand, every deed that was done with them, what they are booked for; how far sites are apart."""

from typing import Any

import sqlalchemy as sa
from alembic import op

from azven.book import tables

revision = "0014"
down_revision = "0013"

KEY = sa.BigInteger().with_variant(sa.Integer(), "sqlite")
T, B = sa.Text(), sa.Boolean()


def upgrade() -> None:
    with op.batch_alter_table("unit") as batch:
        batch.add_column(sa.Column("state", T, nullable=False, server_default="in case"))
        batch.add_column(sa.Column("site_at_id", KEY, nullable=True))
        batch.add_column(sa.Column("place", T, nullable=False, server_default=""))
        batch.add_column(sa.Column("holder", T, nullable=False, server_default=""))
        batch.add_column(sa.Column("since", tables.Utc(), nullable=True))
        batch.add_column(sa.Column("until", tables.Utc(), nullable=True))
        batch.create_foreign_key(op.f("fk_unit_site_at_id_site"), "site", ["site_at_id"], ["id"])
    op.create_index(op.f("ix_unit_site_at_id"), "unit", ["site_at_id"], unique=False)
    op.create_table(
        "deed",
        sa.Column("id", KEY, autoincrement=False, nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("unit_id", KEY, nullable=False),
        sa.Column("at", tables.Utc(), nullable=False),
        sa.Column("deed", T, nullable=False),
        sa.Column("made_by", T, nullable=False),
        sa.Column("site_at_id", KEY, nullable=True),
        sa.Column("place", T, nullable=False),
        sa.Column("show_id", KEY, nullable=True),
        sa.Column("ends_at", tables.Utc(), nullable=True),
        sa.Column("link", T, nullable=False),
        sa.Column("holder", T, nullable=False),
        sa.Column("until", tables.Utc(), nullable=True),
        sa.Column("why", T, nullable=False),
        sa.Column("before", T, nullable=False),
        sa.Column("after", T, nullable=False),
        sa.Column("refused", B, nullable=False),
        sa.ForeignKeyConstraint(["unit_id"], ["unit.id"], name=op.f("fk_deed_unit_id_unit")),
        sa.ForeignKeyConstraint(["site_at_id"], ["site.id"], name=op.f("fk_deed_site_at_id_site")),
        sa.ForeignKeyConstraint(["show_id"], ["show.id"], name=op.f("fk_deed_show_id_show")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_deed")),
    )
    for of in ("unit", "site_at", "show"):
        op.create_index(op.f(f"ix_deed_{of}_id"), "deed", [f"{of}_id"], unique=False)
    for name in ("load_in", "load_out"):
        op.add_column("show", sa.Column(name, tables.Utc(), nullable=True))
    _pair("booking", {"show_id": "show", "unit_id": "unit"})
    _pair(
        "distance", {"site_a_id": "site", "site_b_id": "site"}, sa.Column("km", sa.Float(), nullable=False),
        sa.Column("clutter", T, nullable=False), sa.Column("obstacles_db", sa.Float(), nullable=False),
    )  # fmt: skip


def _pair(name: str, parents: dict[str, str], *columns: sa.Column[Any]) -> None:
    op.create_table(
        name,
        sa.Column("id", KEY, autoincrement=False, nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        *(sa.Column(key, KEY, nullable=False) for key in parents),
        *columns,
        *(
            sa.ForeignKeyConstraint([key], [f"{parent}.id"], name=op.f(f"fk_{name}_{key}_{parent}"))
            for key, parent in parents.items()
        ),
        sa.PrimaryKeyConstraint("id", name=op.f(f"pk_{name}")),
    )
    for key in parents:
        op.create_index(op.f(f"ix_{name}_{key}"), name, [key], unique=False)
