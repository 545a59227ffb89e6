"""What campuses ask one another; names of people and words are found another way."""

import sqlalchemy as sa
from alembic import op

from azven.book import tables

revision = "0016"
down_revision = "0015"

KEY = sa.BigInteger().with_variant(sa.Integer(), "sqlite")
T = sa.Text()
_BEGINNINGS = (
    "unit_name", "unit_serial", "unit_holder", "unit_place", "deed_holder", "deed_made_by", "link_name",
)  # fmt: skip
"""Indexes that are made anew, in another order, with what lets a database find quickly."""


def upgrade() -> None:
    op.create_table(
        "inquiry",
        sa.Column("id", KEY, autoincrement=False, nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("site_id", KEY, nullable=False),
        sa.Column("site_from_id", KEY, nullable=False),
        sa.Column("about", T, nullable=False),
        sa.Column("words", T, nullable=False),
        sa.Column("asked_at", tables.Utc(), nullable=False),
        sa.Column("asked_by", T, nullable=False),
        sa.Column("answer", T, nullable=False),
        sa.Column("answered_by", T, nullable=False),
        sa.Column("answered_at", tables.Utc(), nullable=True),
        sa.ForeignKeyConstraint(["site_id"], ["site.id"], name=op.f("fk_inquiry_site_id_site")),
        sa.ForeignKeyConstraint(["site_from_id"], ["site.id"], name=op.f("fk_inquiry_site_from_id_site")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_inquiry")),
    )
    for of in ("site", "site_from"):
        op.create_index(op.f(f"ix_inquiry_{of}_id"), "inquiry", [f"{of}_id"], unique=False)
    for name in _BEGINNINGS:
        op.execute(f"DROP INDEX IF EXISTS ix_{name}_begins")
    op.execute("DROP INDEX IF EXISTS ix_deed_words")
    if op.get_bind().dialect.name == "sqlite":
        for table in ("unit", "deed"):
            for part in ("come", "gone", "left", "said"):
                op.execute(f"DROP TRIGGER IF EXISTS {table}_words_{part}")
            op.execute(f"DROP TABLE IF EXISTS {table}_words")
