"""An act may touch the next: links of both may be on in the change."""

import sqlalchemy as sa
from alembic import op

revision = "0007"
down_revision = "0006"


def upgrade() -> None:
    op.add_column("act", sa.Column("touches_next", sa.Boolean(), nullable=False, server_default=sa.false()))
