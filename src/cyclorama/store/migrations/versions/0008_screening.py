"""What is done to a take after it was shot: grades with their history, notes pinned to frames, what checks found, and
frames that are to be shot again otherwise."""

import sqlalchemy as sa
from alembic import op

revision = "0008"
down_revision = "0007"


def upgrade() -> None:
    op.add_column("take", sa.Column("finish_at", sa.Integer, nullable=True))
    op.add_column("take", sa.Column("again", sa.String, nullable=True))
    op.add_column("take", sa.Column("process", sa.String, nullable=False, server_default="mix"))
    op.create_table(
        "finish",
        sa.Column("take_id", sa.String, sa.ForeignKey("take.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("number", sa.Integer, primary_key=True),
        sa.Column("document", sa.String, nullable=False),
        sa.Column("label", sa.String, nullable=False),
        sa.Column("at", sa.DateTime, nullable=False),
    )
    op.create_table(
        "note",
        sa.Column("id", sa.String, primary_key=True),
        sa.Column("take_id", sa.String, sa.ForeignKey("take.id", ondelete="CASCADE"), nullable=False, index=True),
        sa.Column("frame", sa.Integer, nullable=False),
        sa.Column("text", sa.String, nullable=False),
        sa.Column("mark", sa.String, nullable=False),
        sa.Column("done", sa.Boolean, nullable=False),
        sa.Column("at", sa.DateTime, nullable=False),
    )
    op.create_table(
        "checked",
        sa.Column("take_id", sa.String, sa.ForeignKey("take.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("source", sa.String, nullable=False),
        sa.Column("document", sa.String, nullable=False),
        sa.Column("at", sa.DateTime, nullable=False),
    )
