"""Takes wait in an order of the artist's, or until a time; frames know where they were made."""

import sqlalchemy as sa
from alembic import op

revision = "0007"
down_revision = "0006"


def upgrade() -> None:
    op.add_column("frame", sa.Column("machine", sa.String, nullable=True))
    op.add_column("take", sa.Column("turn", sa.Integer, nullable=False, server_default="0"))
    op.add_column("take", sa.Column("not_before", sa.DateTime, nullable=True))
