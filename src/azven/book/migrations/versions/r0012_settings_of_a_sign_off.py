"""A sign-off keeps how every unit was set."""

import sqlalchemy as sa
from alembic import op

from azven.book import tables

revision = "0012"
down_revision = "0011"


def upgrade() -> None:
    op.add_column("sign_off", sa.Column("settings", tables.Json(), nullable=False, server_default="{}"))
