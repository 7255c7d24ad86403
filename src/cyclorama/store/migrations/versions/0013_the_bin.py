"""When projects, takes and deliveries were put into the bin."""

import sqlalchemy as sa
from alembic import op

revision = "0013"
down_revision = "0012"


def upgrade() -> None:
    for table in ("project", "take", "delivery"):
        op.add_column(table, sa.Column("removed", sa.DateTime))
