"""How units stand, and every deed that was done with them."""

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
