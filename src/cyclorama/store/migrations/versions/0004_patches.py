"""Most states of a project are kept as what changed since the one before."""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"


def upgrade() -> None:
    op.add_column("history", sa.Column("patch", sa.Boolean, nullable=False, server_default=sa.false()))
