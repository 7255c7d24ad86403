"""Cuts with their history, and what was handed over of them."""

from typing import Any

import sqlalchemy as sa
from alembic import op

revision = "0009"
down_revision = "0008"


def _of_project(**more: Any) -> sa.Column[str]:
    return sa.Column("project_id", sa.String, sa.ForeignKey("project.id", ondelete="CASCADE"), **more)


def upgrade() -> None:
    op.create_table(
        "cut",
        _of_project(primary_key=True),
        sa.Column("number", sa.Integer, primary_key=True),
        sa.Column("document", sa.String, nullable=False),
        sa.Column("label", sa.String, nullable=False),
        sa.Column("at", sa.DateTime, nullable=False),
    )
    op.create_table(
        "cut_head",
        _of_project(primary_key=True),
        sa.Column("cut_at", sa.Integer, nullable=False),
        sa.Column("version", sa.Integer, nullable=False),
    )
    op.create_table(
        "delivery",
        sa.Column("id", sa.String, primary_key=True),
        _of_project(nullable=False, index=True),
        sa.Column("name", sa.String, nullable=False),
        sa.Column("spec", sa.String, nullable=False),
        sa.Column("cut", sa.String, nullable=False),
        sa.Column("report", sa.String, nullable=True),
        sa.Column("bytes", sa.Integer, nullable=False),
        sa.Column("at", sa.DateTime, nullable=False),
    )
