"""Levels of models and rooms, kept plans, permits, room plans, antennas and designs."""

from typing import Any

import sqlalchemy as sa
from alembic import op

from azven.book import tables

revision = "0002"
down_revision = "0001"

KEY = sa.BigInteger().with_variant(sa.Integer(), "sqlite")
T, N, F, HERTZ = sa.Text(), sa.Integer(), sa.Float(), sa.BigInteger()

NEW_COLUMNS: dict[str, tuple[tuple[str, Any, str], ...]] = {
    "site": (("tv_guard_hz", HERTZ, "0"), ("thresholds", tables.Json(), "{}")),
    "zone": (
        ("near_m", F, "5.0"), ("far_m", F, "30.0"), ("between_m", F, "2.0"), ("exponent", F, "20.0"),
        ("shape", tables.Json(), "[]"), ("height_m", F, "6.0"),
    ),
    "neighbour": (("hours", T, ""),),
    "model": (
        ("needed_db", F, "20.0"), ("nf_db", F, "8.0"), ("iip3_dbm", F, "5.0"), ("body_db", F, "10.0"),
        ("gain_dbi", F, "0.0"),
    ),
}  # fmt: skip
"""Table to (column, kind, value for the rows that are there)."""


def upgrade() -> None:
    for table, columns in NEW_COLUMNS.items():
        for name, kind, value in columns:
            op.add_column(table, sa.Column(name, kind, nullable=False, server_default=value))
    with op.batch_alter_table("show") as batch:
        batch.add_column(sa.Column("school", _choice("school", "spacing", "both", "level"), nullable=False,
                                   server_default="spacing"))  # fmt: skip
    _add_tables()


def _choice(name: str, *values: str) -> sa.Enum:
    return sa.Enum(*values, name=name, native_enum=False, create_constraint=True)


def _create(name: str, parent: str, *columns: sa.Column[Any]) -> None:
    key = f"{parent}_id"
    op.create_table(
        name,
        sa.Column("id", KEY, autoincrement=False, nullable=False),
        sa.Column("version", N, nullable=False),
        sa.Column(key, KEY, nullable=False),
        *columns,
        sa.ForeignKeyConstraint([key], [f"{parent}.id"], name=op.f(f"fk_{name}_{key}_{parent}")),
        sa.PrimaryKeyConstraint("id", name=op.f(f"pk_{name}")),
    )
    op.create_index(op.f(f"ix_{name}_{key}"), name, [key], unique=False)


def _columns(kind: Any, *names: str, nullable: bool = False) -> list[sa.Column[Any]]:
    return [sa.Column(name, kind, nullable=nullable) for name in names]


def _add_tables() -> None:
    json, utc = tables.Json(), tables.Utc()
    _create(
        "kept_plan", "show", *_columns(T, "title"), *_columns(utc, "made_at"), *_columns(T, "made_by", "school"),
        *_columns(N, "density"), *_columns(json, "frequencies", "inputs", "made_from"),
    )  # fmt: skip
    _create(
        "permit", "site", *_columns(T, "name"), *_columns(_choice("kind", "licence", "override"), "kind"),
        *_columns(HERTZ, "low_hz", "high_hz"), *_columns(F, "power_mw", nullable=True),
        *_columns(utc, "starts_at", "ends_at", nullable=True), *_columns(T, "note"),
    )  # fmt: skip
    _create(
        "wall", "site", *_columns(F, "x1_m", "y1_m", "x2_m", "y2_m"), *_columns(T, "material"),
        *_columns(F, "loss_db", nullable=True),
    )  # fmt: skip
    _create(
        "area", "zone", *_columns(_choice("kind", "stage", "audience", "backstage"), "kind"), *_columns(T, "name"),
        *_columns(json, "shape"),
    )  # fmt: skip
    _create(
        "mount", "zone", *_columns(T, "name"), *_columns(_choice("kind", "wall", "truss", "mast", "stand"), "kind"),
        *_columns(F, "x_m", "y_m", "z_m"),
    )  # fmt: skip
    _create(
        "antenna", "zone", *_columns(T, "name", "layout"), *_columns(_choice("role", "receive", "transmit"), "role"),
        *_columns(T, "side", "kind"), *_columns(F, "gain_dbi", "beamwidth_deg", "front_back_db"),
        *_columns(T, "polarisation"),
        *_columns(F, "psi_deg", "x_m", "y_m", "z_m", "azimuth_deg", "tilt_deg", "power_dbm"),
        *_columns(N, "carriers"),
    )  # fmt: skip
    _create("design", "site", *_columns(T, "name"), *_columns(json, "document"), *_columns(T, "note"))
