"""Others on shared bands, radar events, what the intercom is to do; how models choose channels, links switched on."""

from typing import Any

import sqlalchemy as sa
from alembic import op

from azven.book import tables

revision = "0010"
down_revision = "0009"

KEY = sa.BigInteger().with_variant(sa.Integer(), "sqlite")
T, N, B, REAL, HERTZ = sa.Text(), sa.Integer(), sa.Boolean(), sa.Float(), sa.BigInteger()


def upgrade() -> None:
    choosing = sa.Enum("is set", "itself", "hops", name="choosing", native_enum=False, create_constraint=True)
    with op.batch_alter_table("model") as table:
        table.add_column(sa.Column("choosing", choosing, nullable=False, server_default="is set"))
        table.add_column(sa.Column("duty", REAL, nullable=False, server_default="1"))
        table.add_column(sa.Column("second_radio", B, nullable=False, server_default=sa.false()))
        table.add_column(sa.Column("rejoin_s", REAL, nullable=False, server_default="5"))
    with op.batch_alter_table("link") as table:
        table.add_column(sa.Column("switched_on", B, nullable=False, server_default=sa.false()))
    _create(
        "occupant", {"site_id": "site", "zone_id": "zone"}, _text("name"), _must("centre_hz", HERTZ),
        _must("width_hz", HERTZ), _must("level_dbm", REAL), _must("duty", REAL), _must("place_m", tables.Json()),
        _text("note"), _must("position", N),
    )  # fmt: skip
    _create("radar_event", {"show_id": "show"}, _must("channel", N), _must("minute", N), _text("note"))
    _create("intercom", {"show_id": "show"}, _must("figures", tables.Json()))
    _create(
        "talk_group", {"show_id": "show"}, _text("name"), _must("people", tables.Json()), _must("at_once", N),
        _must("position", N),
    )  # fmt: skip


def _must(name: str, kind: Any) -> sa.Column[Any]:
    return sa.Column(name, kind, nullable=False)


def _text(name: str) -> sa.Column[Any]:
    return _must(name, T)


def _create(name: str, parents: dict[str, str], *columns: sa.Column[Any]) -> None:
    op.create_table(
        name,
        sa.Column("id", KEY, autoincrement=False, nullable=False),
        sa.Column("version", N, nullable=False),
        *(sa.Column(key, KEY, nullable=key == "zone_id") for key in parents),
        *columns,
        *(
            sa.ForeignKeyConstraint([key], [f"{parent}.id"], name=op.f(f"fk_{name}_{key}_{parent}"))
            for key, parent in parents.items()
        ),
        sa.PrimaryKeyConstraint("id", name=op.f(f"pk_{name}")),
    )
    for key in parents:
        op.create_index(op.f(f"ix_{name}_{key}"), name, [key], unique=False)
