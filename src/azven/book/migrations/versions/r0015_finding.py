"""When a unit was last counted or scanned; questions that are kept."""

import sqlalchemy as sa
from alembic import op

from azven.book import tables

revision = "0015"
down_revision = "0014"

KEY = sa.BigInteger().with_variant(sa.Integer(), "sqlite")
T = sa.Text()


def upgrade() -> None:
    op.add_column("unit", sa.Column("seen", tables.Utc(), nullable=True))
    op.execute(
        'UPDATE unit SET seen = (SELECT max(deed."at") FROM deed WHERE deed.unit_id = unit.id '
        "AND deed.deed IN ('count', 'scan'))"
    )
    op.create_table(
        "kept_question",
        sa.Column("id", KEY, autoincrement=False, nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("name", T, nullable=False),
        sa.Column("asked", tables.Json(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_kept_question")),
    )
