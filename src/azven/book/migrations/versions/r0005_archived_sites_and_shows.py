"""Sites and shows can be archived."""

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"


def upgrade() -> None:
    for table in ("site", "show"):
        op.add_column(table, sa.Column("archived", sa.Boolean(), nullable=False, server_default=sa.false()))
