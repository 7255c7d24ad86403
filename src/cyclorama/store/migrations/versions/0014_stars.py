"""Stars of takes."""

import sqlalchemy as sa
from alembic import op

revision = "0014"
down_revision = "0013"


def upgrade() -> None:
    op.add_column("take", sa.Column("starred", sa.Boolean, nullable=False, server_default="0"))
