"""Models and units know more of themselves; persons, what they wear, redundant pairs, further receivers, the patch."""

from typing import Any

import sqlalchemy as sa
from alembic import op

from azven.book import tables

revision = "0008"
down_revision = "0007"

KEY = sa.BigInteger().with_variant(sa.Integer(), "sqlite")
T, N, F, B, HERTZ = sa.Text(), sa.Integer(), sa.Float(), sa.Boolean(), sa.BigInteger()
FORMS = ("hand-held", "pack", "plug-on", "rack", "base", "camera")
CONDITIONS = ("good", "to be checked", "faulty", "in repair")
PHONES = ("left behind", "flight mode", "on, away from the packs", "on, in a pocket")

NEW_COLUMNS: dict[str, tuple[tuple[str, Any, Any], ...]] = {
    "link": (("receiver", N, "0"), ("power_step_mw", F, "0.0")),
    "unit": (("carried", B, sa.false()), ("firmware", T, "")),
    "model": (
        ("origin_hz", HERTZ, "0"), ("rasters", tables.Json(), "{}"), ("receivers", N, "1"), ("diversity", B, sa.true()),
        ("powers", tables.Json(), "[]"), ("batteries", tables.Json(), "[]"), ("chargers", tables.Json(), "[]"),
        ("addresses", N, "0"), ("dc_w", F, "0.0"), ("only_groups", B, sa.false()), ("groups", tables.Json(), "{}"),
        ("capacity", N, "0"), ("modes", tables.Json(), "[]"),
    ),
}  # fmt: skip
"""Table to (column, kind, value for the rows that are there)."""


def upgrade() -> None:
    for table, columns in NEW_COLUMNS.items():
        for name, kind, value in columns:
            op.add_column(table, sa.Column(name, kind, nullable=False, server_default=value))
    for name in ("latency_ms", "blocking_dbm"):
        op.add_column("model", sa.Column(name, F, nullable=True))
    with op.batch_alter_table("model") as batch:
        batch.add_column(_choice("form", FORMS, "pack"))
        batch.add_column(_choice("audio", ("mono", "stereo", "two mixes"), "mono"))
    with op.batch_alter_table("unit") as batch:
        batch.add_column(_choice("condition", CONDITIONS, "good"))
        batch.add_column(sa.Column("site_home_id", KEY, nullable=True))
        batch.create_foreign_key(op.f("fk_unit_site_home_id_site"), "site", ["site_home_id"], ["id"])
    op.create_index(op.f("ix_unit_site_home_id"), "unit", ["site_home_id"], unique=False)
    op.execute("UPDATE model SET form = 'hand-held' WHERE service = 'voice' AND body_db >= 10 AND body_db < 15")
    op.execute("UPDATE model SET audio = 'stereo' WHERE service = 'in-ear'")
    _add_tables()


def _choice(name: str, words: tuple[str, ...], default: str = "") -> sa.Column[Any]:
    kind = sa.Enum(*words, name=name, native_enum=False, create_constraint=True)
    return sa.Column(name, kind, nullable=False, server_default=default or None)


def _create(name: str, parents: dict[str, str], *columns: sa.Column[Any], optional: tuple[str, ...] = ()) -> None:
    op.create_table(
        name,
        sa.Column("id", KEY, autoincrement=False, nullable=False),
        sa.Column("version", N, nullable=False),
        *(sa.Column(key, KEY, nullable=key in optional) for key in parents),
        *columns,
        *(
            sa.ForeignKeyConstraint([key], [f"{parent}.id"], name=op.f(f"fk_{name}_{key}_{parent}"))
            for key, parent in parents.items()
        ),
        sa.PrimaryKeyConstraint("id", name=op.f(f"pk_{name}")),
    )
    for key in parents:
        op.create_index(op.f(f"ix_{name}_{key}"), name, [key], unique=False)


def _columns(kind: Any, *names: str) -> list[sa.Column[Any]]:
    return [sa.Column(name, kind, nullable=False) for name in names]


def _add_tables() -> None:
    json, show = tables.Json(), {"show_id": "show"}
    _create("reception", {"link_id": "link", "unit_id": "unit"}, *_columns(N, "receiver"))
    _create("pair", {**show, "link_a_id": "link", "link_b_id": "link"})
    _create(
        "person", show, *_columns(T, "name", "role", "note"), *_columns(N, "position"), *_columns(json, "acts"),
        _choice("phone", PHONES),
    )  # fmt: skip
    _create(
        "worn", {"person_id": "person", "link_id": "link", "unit_id": "unit"}, *_columns(json, "acts"),
        _choice("side", ("left", "right")), *_columns(T, "place", "note"), optional=("unit_id",),
    )  # fmt: skip
    _create(
        "route", {**show, "link_id": "link"}, _choice("kind", ("console input", "network channel", "analogue port")),
        *_columns(T, "device"), *_columns(N, "channel", "position"), *_columns(B, "stereo"),
    )  # fmt: skip
    _create(
        "port", {**show, "link_id": "link"}, *_columns(T, "name", "device", "note"), *_columns(json, "joins"),
        _choice("kind", ("two-wire", "four-wire", "radio", "telephone")), *_columns(N, "position"),
        optional=("link_id",),
    )  # fmt: skip
