"""Projects with history, takes with frames."""

import sqlalchemy as sa
from alembic import op

revision = "0001"
down_revision = None


def upgrade() -> None:
    op.create_table(
        "project",
        sa.Column("id", sa.String, primary_key=True),
        sa.Column("name", sa.String, nullable=False),
        sa.Column("version", sa.Integer, nullable=False),
        sa.Column("cursor", sa.Integer, nullable=False),
        sa.Column("created", sa.DateTime, nullable=False),
        sa.Column("updated", sa.DateTime, nullable=False),
    )
    op.create_table(
        "history",
        sa.Column("project_id", sa.String, sa.ForeignKey("project.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("seq", sa.Integer, primary_key=True),
        sa.Column("label", sa.String, nullable=False),
        sa.Column("document", sa.String, nullable=False),
        sa.Column("at", sa.DateTime, nullable=False),
    )
    op.create_table(
        "take",
        sa.Column("id", sa.String, primary_key=True),
        sa.Column("project_id", sa.String, sa.ForeignKey("project.id", ondelete="CASCADE"), nullable=False),
        sa.Column("name", sa.String, nullable=False),
        sa.Column("document", sa.String, nullable=False),
        sa.Column("project_version", sa.Integer, nullable=False),
        sa.Column("folder", sa.String, nullable=False),
        sa.Column("first", sa.Integer, nullable=False),
        sa.Column("last", sa.Integer, nullable=False),
        sa.Column("state", sa.String, nullable=False),
        sa.Column("wish", sa.String, nullable=False),
        sa.Column("message", sa.String, nullable=False),
        sa.Column("worker_pid", sa.Integer),
        sa.Column("beat", sa.DateTime),
        sa.Column("forecast_s", sa.Double),
        sa.Column("created", sa.DateTime, nullable=False),
        sa.Column("started", sa.DateTime),
        sa.Column("finished", sa.DateTime),
    )
    op.create_table(
        "frame",
        sa.Column("take_id", sa.String, sa.ForeignKey("take.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("number", sa.Integer, primary_key=True),
        sa.Column("file", sa.String, nullable=False),
        sa.Column("sha256", sa.String, nullable=False),
        sa.Column("size", sa.Integer, nullable=False),
        sa.Column("seconds", sa.Double, nullable=False),
        sa.Column("at", sa.DateTime, nullable=False),
    )
    op.create_index("take_by_project", "take", ["project_id"])
    op.create_index("take_by_state", "take", ["state"])


def downgrade() -> None:
    for table in ("frame", "take", "history", "project"):
        op.drop_table(table)
