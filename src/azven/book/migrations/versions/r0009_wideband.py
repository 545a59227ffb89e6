"""Wideband carriers and the packs on them."""

from typing import Any

import sqlalchemy as sa
from alembic import op

from azven.book import tables

revision = "0009"
down_revision = "0008"

KEY = sa.BigInteger().with_variant(sa.Integer(), "sqlite")
T, N, B, HERTZ = sa.Text(), sa.Integer(), sa.Boolean(), sa.BigInteger()


def upgrade() -> None:
    state = sa.Enum("muted", "active", "last", name="state", native_enum=False, create_constraint=True)
    _create(
        "wideband", {"show_id": "show", "model_id": "model"}, sa.Column("name", T, nullable=False),
        sa.Column("channel", T, nullable=False), sa.Column("rooms", tables.Json(), nullable=False),
        sa.Column("guard_hz", HERTZ, nullable=False), sa.Column("state", state, nullable=False),
        sa.Column("spare", B, nullable=False), sa.Column("position", N, nullable=False),
    )  # fmt: skip
    _create(
        "wide_pack", {"show_id": "show", "wideband_id": "wideband"},
        *(sa.Column(n, T, nullable=False) for n in ("name", "mode", "mix", "mix_mode", "note")),
        *(sa.Column(n, B, nullable=False) for n in ("stereo", "busy")),
        *(sa.Column(n, N, nullable=False) for n in ("priority", "position")),
        sa.Column("rooms", tables.Json(), nullable=False),
    )  # fmt: skip


def _create(name: str, parents: dict[str, str], *columns: sa.Column[Any]) -> None:
    op.create_table(
        name,
        sa.Column("id", KEY, autoincrement=False, nullable=False),
        sa.Column("version", N, nullable=False),
        *(sa.Column(key, KEY, nullable=key == "wideband_id") for key in parents),
        *columns,
        *(
            sa.ForeignKeyConstraint([key], [f"{parent}.id"], name=op.f(f"fk_{name}_{key}_{parent}"))
            for key, parent in parents.items()
        ),
        sa.PrimaryKeyConstraint("id", name=op.f(f"pk_{name}")),
    )
    for key in parents:
        op.create_index(op.f(f"ix_{name}_{key}"), name, [key], unique=False)
