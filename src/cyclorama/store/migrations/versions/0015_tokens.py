"""Tokens of programs that use the studio."""

import sqlalchemy as sa
from alembic import op

revision = "0015"
down_revision = "0014"


def upgrade() -> None:
    op.create_table(
        "token",
        sa.Column("id", sa.String, primary_key=True),
        sa.Column("name", sa.String, nullable=False),
        sa.Column("digest", sa.String, nullable=False, unique=True),
        sa.Column("made", sa.DateTime, nullable=False),
        sa.Column("used", sa.DateTime),
    )
