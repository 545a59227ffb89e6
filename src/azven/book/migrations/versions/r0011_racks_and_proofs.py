"""Racks as they are listed, the channels of links, how units are to be set, bring-up, sign-off and walks."""

from typing import Any

import sqlalchemy as sa
from alembic import op

from azven.book import tables

revision = "0011"
down_revision = "0010"

KEY = sa.BigInteger().with_variant(sa.Integer(), "sqlite")
T, N = sa.Text(), sa.Integer()
SHOW, LINK = {"show_id": "show"}, {"show_id": "show", "link_id": "link"}


def upgrade() -> None:
    step = sa.Enum(
        "reset", "band", "network", "frequency", "off", "sync", "on", "tone", "level", "gain", "lock", "squelch",
        "spare", name="step", native_enum=False, create_constraint=True,
    )  # fmt: skip
    outcome = sa.Enum(
        "held", "remark", "failed", "left open", name="outcome", native_enum=False, create_constraint=True
    )
    _create(
        "listed_rack", {"site_id": "site"}, *_texts("name", "address", "rack", "kind"), _must("channels", N),
        *_texts("layout"), sa.Column("console", N, nullable=True), *_json("network"), _must("position", N),
    )  # fmt: skip
    _create("rack_network", {"site_id": "site"}, *_json("subnets", "consoles", "cables"))
    _create("mapped", LINK, *_texts("rack", "channel"))
    _create("wanted", LINK, *_json("settings"))
    _create(
        "proof", LINK, _must("step", step), _must("outcome", outcome), *_texts("made_by"), _when(), *_json("measured"),
        *_texts("note"),
    )  # fmt: skip
    _create("sign_off", SHOW, *_texts("made_by"), _when(), *_json("left_open", "prints"), *_texts("note"))
    _create(
        "walk_test", {"show_id": "show", "zone_id": "zone"}, *_texts("name", "made_by"), _when(),
        *_json("marks", "readings"), *_texts("note"),
    )  # fmt: skip


def _must(name: str, kind: Any) -> sa.Column[Any]:
    return sa.Column(name, kind, nullable=False)


def _when() -> sa.Column[Any]:
    return _must("made_at", tables.Utc())


def _texts(*names: str) -> list[sa.Column[Any]]:
    return [_must(name, T) for name in names]


def _json(*names: str) -> list[sa.Column[Any]]:
    return [_must(name, tables.Json()) for name in names]


def _create(name: str, parents: dict[str, str], *columns: sa.Column[Any]) -> None:
    op.create_table(
        name,
        sa.Column("id", KEY, autoincrement=False, nullable=False),
        sa.Column("version", N, nullable=False),
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
