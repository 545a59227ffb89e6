"""Every edit leaves a line of history; a book says how much of it is kept."""

import sqlalchemy as sa
from alembic import op

from azven.book import tables

revision = "0006"
down_revision = "0005"

KEY = sa.BigInteger().with_variant(sa.Integer(), "sqlite")


def upgrade() -> None:
    op.create_table(
        "retention",
        sa.Column("id", KEY, autoincrement=False, nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("edits", sa.Integer(), nullable=False),
        sa.Column("bulky", sa.Boolean(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_retention")),
    )
    op.create_table(
        "history",
        sa.Column("id", KEY, autoincrement=False, nullable=False),
        sa.Column("at", tables.Utc(), nullable=False),
        *(sa.Column(name, sa.Text(), nullable=False) for name in ("who", "desk", "title", "mark")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_history")),
        sa.UniqueConstraint("mark", name=op.f("uq_history_mark")),
    )
    op.create_table(
        "history_change",
        sa.Column("history_id", KEY, nullable=False),
        sa.Column("position", sa.Integer(), autoincrement=False, nullable=False),
        sa.Column("kind", sa.Text(), nullable=False),
        sa.Column("record_id", KEY, nullable=False),
        sa.Column("before", sa.Text(), nullable=True),
        sa.Column("after", sa.Text(), nullable=True),
        sa.ForeignKeyConstraint(["history_id"], ["history.id"], name=op.f("fk_history_change_history_id_history")),
        sa.PrimaryKeyConstraint("history_id", "position", name=op.f("pk_history_change")),
    )
    op.create_index(op.f("ix_history_change_record_id"), "history_change", ["record_id"], unique=False)
