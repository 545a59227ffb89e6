"""What an instrument makes itself, stations the list gives, drawings under the plan of the rooms."""

import sqlalchemy as sa
from alembic import op

from azven.book import tables

revision = "0003"
down_revision = "0002"

KEY = sa.BigInteger().with_variant(sa.Integer(), "sqlite")


def upgrade() -> None:
    for table, column in (("sweep", "made_inside"), ("site", "stations")):
        op.add_column(table, sa.Column(column, tables.Json(), nullable=False, server_default="[]"))
    op.create_table(
        "backdrop",
        sa.Column("id", KEY, autoincrement=False, nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("site_id", KEY, nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("image", sa.LargeBinary(), nullable=False),
        sa.Column("points", tables.Json(), nullable=False),
        sa.ForeignKeyConstraint(["site_id"], ["site.id"], name=op.f("fk_backdrop_site_id_site")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_backdrop")),
    )
    op.create_index(op.f("ix_backdrop_site_id"), "backdrop", ["site_id"], unique=False)
