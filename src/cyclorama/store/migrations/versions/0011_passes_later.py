"""Frames that lack passes which their take was given later."""

import sqlalchemy as sa
from alembic import op

revision = "0011"
down_revision = "0010"


def upgrade() -> None:
    op.add_column("frame", sa.Column("lacks", sa.Boolean, nullable=False, server_default=sa.false()))
