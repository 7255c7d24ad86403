"""Revisions of grades and notes, so that two windows cannot overwrite each other's."""

import sqlalchemy as sa
from alembic import op

revision = "0012"
down_revision = "0011"


def upgrade() -> None:
    op.add_column("take", sa.Column("finish_revision", sa.Integer, nullable=False, server_default="0"))
    op.add_column("note", sa.Column("revision", sa.Integer, nullable=False, server_default="0"))
