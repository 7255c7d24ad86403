"""Posts to portfolio services."""

import sqlalchemy as sa
from alembic import op

revision = "0010"
down_revision = "0009"


def upgrade() -> None:
    op.create_table(
        "post",
        sa.Column("id", sa.String, primary_key=True),
        sa.Column("project_id", sa.String, sa.ForeignKey("project.id", ondelete="CASCADE"), nullable=False, index=True),
        sa.Column("post", sa.String, nullable=False),
        sa.Column("service", sa.String, nullable=False),
        sa.Column("key", sa.String, nullable=False),
        sa.Column("shown_at", sa.String, nullable=True),
        sa.Column("at", sa.DateTime, nullable=False),
    )
