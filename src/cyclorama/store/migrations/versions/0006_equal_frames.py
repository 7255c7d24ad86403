"""Frames that show the same are found by their keys."""

import sqlalchemy as sa
from alembic import op

revision = "0006"
down_revision = "0005"


def upgrade() -> None:
    op.add_column("frame", sa.Column("key", sa.String, nullable=True))
    op.create_index("ix_frame_key", "frame", ["key"])
