"""The first book."""

import sqlalchemy as sa
from alembic import op

from azven.book import tables

revision = "0001"
down_revision = None


def upgrade() -> None:
    op.create_table(
        "counter", sa.Column("next_id", sa.BigInteger().with_variant(sa.Integer(), "sqlite"), nullable=False)
    )
    op.create_table(
        "model",
        sa.Column("id", sa.BigInteger().with_variant(sa.Integer(), "sqlite"), autoincrement=False, nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column(
            "service",
            sa.Enum("voice", "in-ear", "intercom", "data", name="service", native_enum=False, create_constraint=True),
            nullable=False,
        ),
        sa.Column("bands", tables.Json(), nullable=False),
        sa.Column("step_hz", sa.BigInteger(), nullable=False),
        sa.Column("bandwidth_hz", sa.BigInteger(), nullable=False),
        sa.Column("power_mw", sa.Float(), nullable=False),
        sa.Column("modulation", sa.Text(), nullable=False),
        sa.Column("spacing_hz", sa.BigInteger(), nullable=False),
        sa.Column("guard_hz", tables.Json(), nullable=False),
        sa.Column("builtin", sa.Boolean(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_model")),
    )
    op.create_table(
        "region",
        sa.Column("id", sa.BigInteger().with_variant(sa.Integer(), "sqlite"), autoincrement=False, nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("key", sa.Text(), nullable=False),
        sa.Column("title", sa.Text(), nullable=False),
        sa.Column("dated", sa.Text(), nullable=False),
        sa.Column("document", tables.Json(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_region")),
    )
    op.create_table(
        "site",
        sa.Column("id", sa.BigInteger().with_variant(sa.Integer(), "sqlite"), autoincrement=False, nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("region_id", sa.BigInteger().with_variant(sa.Integer(), "sqlite"), nullable=True),
        sa.Column("note", sa.Text(), nullable=False),
        sa.ForeignKeyConstraint(["region_id"], ["region.id"], name=op.f("fk_site_region_id_region")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_site")),
    )
    op.create_index(op.f("ix_site_region_id"), "site", ["region_id"], unique=False)
    op.create_table(
        "show",
        sa.Column("id", sa.BigInteger().with_variant(sa.Integer(), "sqlite"), autoincrement=False, nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("site_id", sa.BigInteger().with_variant(sa.Integer(), "sqlite"), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("density", sa.Integer(), nullable=False),
        sa.Column("note", sa.Text(), nullable=False),
        sa.ForeignKeyConstraint(["site_id"], ["site.id"], name=op.f("fk_show_site_id_site")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_show")),
    )
    op.create_index(op.f("ix_show_site_id"), "show", ["site_id"], unique=False)
    op.create_table(
        "sweep",
        sa.Column("id", sa.BigInteger().with_variant(sa.Integer(), "sqlite"), autoincrement=False, nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("site_id", sa.BigInteger().with_variant(sa.Integer(), "sqlite"), nullable=False),
        sa.Column("taken_at", tables.Utc(), nullable=False),
        sa.Column("place", sa.Text(), nullable=False),
        sa.Column("antenna", sa.Text(), nullable=False),
        sa.Column("rbw_hz", sa.Float(), nullable=False),
        sa.Column("detector", sa.Text(), nullable=False),
        sa.Column("own_on", sa.Boolean(), nullable=False),
        sa.Column(
            "hears",
            sa.Enum("everyone", "in-ears", "receivers", name="hears", native_enum=False, create_constraint=True),
            nullable=False,
        ),
        sa.Column("used", sa.Boolean(), nullable=False),
        sa.Column("points", sa.Integer(), nullable=False),
        sa.Column("low_hz", sa.BigInteger(), nullable=False),
        sa.Column("high_hz", sa.BigInteger(), nullable=False),
        sa.Column("source", sa.Text(), nullable=False),
        sa.Column("note", sa.Text(), nullable=False),
        sa.ForeignKeyConstraint(["site_id"], ["site.id"], name=op.f("fk_sweep_site_id_site")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_sweep")),
    )
    op.create_index(op.f("ix_sweep_site_id"), "sweep", ["site_id"], unique=False)
    op.create_table(
        "zone",
        sa.Column("id", sa.BigInteger().with_variant(sa.Integer(), "sqlite"), autoincrement=False, nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("site_id", sa.BigInteger().with_variant(sa.Integer(), "sqlite"), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("position", sa.Integer(), nullable=False),
        sa.Column("note", sa.Text(), nullable=False),
        sa.ForeignKeyConstraint(["site_id"], ["site.id"], name=op.f("fk_zone_site_id_site")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_zone")),
    )
    op.create_index(op.f("ix_zone_site_id"), "zone", ["site_id"], unique=False)
    op.create_table(
        "act",
        sa.Column("id", sa.BigInteger().with_variant(sa.Integer(), "sqlite"), autoincrement=False, nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("show_id", sa.BigInteger().with_variant(sa.Integer(), "sqlite"), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("position", sa.Integer(), nullable=False),
        sa.Column("starts_at", tables.Utc(), nullable=True),
        sa.Column("ends_at", tables.Utc(), nullable=True),
        sa.ForeignKeyConstraint(["show_id"], ["show.id"], name=op.f("fk_act_show_id_show")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_act")),
    )
    op.create_index(op.f("ix_act_show_id"), "act", ["show_id"], unique=False)
    op.create_table(
        "neighbour",
        sa.Column("id", sa.BigInteger().with_variant(sa.Integer(), "sqlite"), autoincrement=False, nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("site_id", sa.BigInteger().with_variant(sa.Integer(), "sqlite"), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("freq_hz", sa.BigInteger(), nullable=False),
        sa.Column("zone_id", sa.BigInteger().with_variant(sa.Integer(), "sqlite"), nullable=True),
        sa.Column(
            "kind",
            sa.Enum("neighbour", "avoid", "ours", name="kind", native_enum=False, create_constraint=True),
            nullable=False,
        ),
        sa.Column("spacing_hz", sa.BigInteger(), nullable=False),
        sa.Column("mixes", sa.Boolean(), nullable=False),
        sa.Column("contact", sa.Text(), nullable=False),
        sa.Column("note", sa.Text(), nullable=False),
        sa.ForeignKeyConstraint(["site_id"], ["site.id"], name=op.f("fk_neighbour_site_id_site")),
        sa.ForeignKeyConstraint(["zone_id"], ["zone.id"], name=op.f("fk_neighbour_zone_id_zone")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_neighbour")),
    )
    op.create_index(op.f("ix_neighbour_site_id"), "neighbour", ["site_id"], unique=False)
    op.create_index(op.f("ix_neighbour_zone_id"), "neighbour", ["zone_id"], unique=False)
    op.create_table(
        "plan",
        sa.Column("id", sa.BigInteger().with_variant(sa.Integer(), "sqlite"), autoincrement=False, nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("show_id", sa.BigInteger().with_variant(sa.Integer(), "sqlite"), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("made_at", tables.Utc(), nullable=False),
        sa.Column("inputs", tables.Json(), nullable=False),
        sa.Column("note", sa.Text(), nullable=False),
        sa.ForeignKeyConstraint(["show_id"], ["show.id"], name=op.f("fk_plan_show_id_show")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_plan")),
    )
    op.create_index(op.f("ix_plan_show_id"), "plan", ["show_id"], unique=False)
    op.create_table(
        "relation",
        sa.Column("id", sa.BigInteger().with_variant(sa.Integer(), "sqlite"), autoincrement=False, nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("zone_a_id", sa.BigInteger().with_variant(sa.Integer(), "sqlite"), nullable=False),
        sa.Column("zone_b_id", sa.BigInteger().with_variant(sa.Integer(), "sqlite"), nullable=False),
        sa.Column(
            "relation",
            sa.Enum("together", "near", "apart", name="relation", native_enum=False, create_constraint=True),
            nullable=False,
        ),
        sa.Column("wall_loss_db", sa.Float(), nullable=True),
        sa.ForeignKeyConstraint(["zone_a_id"], ["zone.id"], name=op.f("fk_relation_zone_a_id_zone")),
        sa.ForeignKeyConstraint(["zone_b_id"], ["zone.id"], name=op.f("fk_relation_zone_b_id_zone")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_relation")),
    )
    op.create_index(op.f("ix_relation_zone_a_id"), "relation", ["zone_a_id"], unique=False)
    op.create_index(op.f("ix_relation_zone_b_id"), "relation", ["zone_b_id"], unique=False)
    op.create_table(
        "trace",
        sa.Column("id", sa.BigInteger().with_variant(sa.Integer(), "sqlite"), autoincrement=False, nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("sweep_id", sa.BigInteger().with_variant(sa.Integer(), "sqlite"), nullable=False),
        sa.Column("freq_hz", tables.Frequencies(), nullable=False),
        sa.Column("level_dbm", tables.Levels(), nullable=False),
        sa.ForeignKeyConstraint(["sweep_id"], ["sweep.id"], name=op.f("fk_trace_sweep_id_sweep")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_trace")),
    )
    op.create_index(op.f("ix_trace_sweep_id"), "trace", ["sweep_id"], unique=False)
    op.create_table(
        "unit",
        sa.Column("id", sa.BigInteger().with_variant(sa.Integer(), "sqlite"), autoincrement=False, nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("model_id", sa.BigInteger().with_variant(sa.Integer(), "sqlite"), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("band", sa.Text(), nullable=False),
        sa.Column("receiver_band", sa.Text(), nullable=False),
        sa.Column("channels", sa.Integer(), nullable=False),
        sa.Column("zone_id", sa.BigInteger().with_variant(sa.Integer(), "sqlite"), nullable=True),
        sa.Column("serial", sa.Text(), nullable=False),
        sa.Column("note", sa.Text(), nullable=False),
        sa.ForeignKeyConstraint(["model_id"], ["model.id"], name=op.f("fk_unit_model_id_model")),
        sa.ForeignKeyConstraint(["zone_id"], ["zone.id"], name=op.f("fk_unit_zone_id_zone")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_unit")),
    )
    op.create_index(op.f("ix_unit_model_id"), "unit", ["model_id"], unique=False)
    op.create_index(op.f("ix_unit_zone_id"), "unit", ["zone_id"], unique=False)
    op.create_table(
        "link",
        sa.Column("id", sa.BigInteger().with_variant(sa.Integer(), "sqlite"), autoincrement=False, nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("show_id", sa.BigInteger().with_variant(sa.Integer(), "sqlite"), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("model_id", sa.BigInteger().with_variant(sa.Integer(), "sqlite"), nullable=False),
        sa.Column("band", sa.Text(), nullable=False),
        sa.Column("zone_id", sa.BigInteger().with_variant(sa.Integer(), "sqlite"), nullable=False),
        sa.Column("unit_id", sa.BigInteger().with_variant(sa.Integer(), "sqlite"), nullable=True),
        sa.Column(
            "service",
            sa.Enum("voice", "in-ear", "intercom", "data", name="service", native_enum=False, create_constraint=True),
            nullable=False,
        ),
        sa.Column("priority", sa.Integer(), nullable=False),
        sa.Column(
            "use_class",
            sa.Enum("quiet", "usable", name="use_class", native_enum=False, create_constraint=True),
            nullable=False,
        ),
        sa.Column("spare", sa.Boolean(), nullable=False),
        sa.Column("set_aside", sa.Boolean(), nullable=False),
        sa.Column("acts", tables.Json(), nullable=False),
        sa.Column("position", sa.Integer(), nullable=False),
        sa.Column("performer", sa.Text(), nullable=False),
        sa.ForeignKeyConstraint(["model_id"], ["model.id"], name=op.f("fk_link_model_id_model")),
        sa.ForeignKeyConstraint(["show_id"], ["show.id"], name=op.f("fk_link_show_id_show")),
        sa.ForeignKeyConstraint(["unit_id"], ["unit.id"], name=op.f("fk_link_unit_id_unit")),
        sa.ForeignKeyConstraint(["zone_id"], ["zone.id"], name=op.f("fk_link_zone_id_zone")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_link")),
    )
    op.create_index(op.f("ix_link_model_id"), "link", ["model_id"], unique=False)
    op.create_index(op.f("ix_link_show_id"), "link", ["show_id"], unique=False)
    op.create_index(op.f("ix_link_unit_id"), "link", ["unit_id"], unique=False)
    op.create_index(op.f("ix_link_zone_id"), "link", ["zone_id"], unique=False)
    op.create_table(
        "assignment",
        sa.Column("id", sa.BigInteger().with_variant(sa.Integer(), "sqlite"), autoincrement=False, nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("plan_id", sa.BigInteger().with_variant(sa.Integer(), "sqlite"), nullable=False),
        sa.Column("link_id", sa.BigInteger().with_variant(sa.Integer(), "sqlite"), nullable=False),
        sa.Column("freq_hz", sa.BigInteger(), nullable=False),
        sa.Column("locked", sa.Boolean(), nullable=False),
        sa.ForeignKeyConstraint(["link_id"], ["link.id"], name=op.f("fk_assignment_link_id_link")),
        sa.ForeignKeyConstraint(["plan_id"], ["plan.id"], name=op.f("fk_assignment_plan_id_plan")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_assignment")),
    )
    op.create_index(op.f("ix_assignment_link_id"), "assignment", ["link_id"], unique=False)
    op.create_index(op.f("ix_assignment_plan_id"), "assignment", ["plan_id"], unique=False)
