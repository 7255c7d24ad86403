"""Takes mixed from the lights of another, and what clamping took from a frame."""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"


def upgrade() -> None:
    op.add_column("take", sa.Column("source_id", sa.String, nullable=True))
    op.add_column("take", sa.Column("balance", sa.String, nullable=True))
    op.add_column("frame", sa.Column("clamped", sa.Double, nullable=True))
