"""Where people are in an act, and how full the house is."""

import sqlalchemy as sa
from alembic import op

from azven.book import tables

revision = "0013"
down_revision = "0012"

KEY = sa.BigInteger().with_variant(sa.Integer(), "sqlite")


def upgrade() -> None:
    op.add_column("act", sa.Column("house_percent", sa.Integer(), nullable=False, server_default="100"))
    op.create_table(
        "staging",
        sa.Column("id", KEY, autoincrement=False, nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("show_id", KEY, nullable=False),
        sa.Column("link_id", KEY, nullable=False),
        sa.Column("act_id", KEY, nullable=True),
        sa.Column("corners", tables.Json(), nullable=False),
        sa.Column("enters_min", sa.Float(), nullable=False),
        sa.Column("leaves_min", sa.Float(), nullable=True),
        *(
            sa.ForeignKeyConstraint([f"{of}_id"], [f"{of}.id"], name=op.f(f"fk_staging_{of}_id_{of}"))
            for of in ("show", "link", "act")
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_staging")),
    )
    for of in ("show", "link", "act"):
        op.create_index(op.f(f"ix_staging_{of}_id"), "staging", [f"{of}_id"], unique=False)
