"""Sites belong to districts."""

import sqlalchemy as sa
from alembic import op

revision = "0017"
down_revision = "0016"


def upgrade() -> None:
    op.add_column("site", sa.Column("district", sa.Text(), nullable=False, server_default=""))
