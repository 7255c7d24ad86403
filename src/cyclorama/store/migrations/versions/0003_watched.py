"""Sums of every file of a frame, frames that failed, and numbers of takes that never come again."""

import re

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"


def upgrade() -> None:
    op.add_column("frame", sa.Column("files", sa.String, nullable=True))
    op.add_column("take", sa.Column("frame_now", sa.Integer, nullable=True))
    # a worker's sign of life is the time of its lock file, which needs no room on a full disk
    op.drop_column("take", "beat")
    op.add_column("project", sa.Column("takes_called", sa.Integer, nullable=False, server_default="0"))
    op.create_table(
        "trouble",
        sa.Column("take_id", sa.String, sa.ForeignKey("take.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("number", sa.Integer, primary_key=True),
        sa.Column("tries", sa.Integer, nullable=False),
        sa.Column("aside", sa.Boolean, nullable=False),
        sa.Column("reason", sa.String, nullable=False),
    )
    _count_takes()


def _count_takes() -> None:
    """The greatest number a project's takes have had so far: it stands in their ids, ‘storm-glass-orbit-003-1a2b’."""
    bind = op.get_bind()
    called: dict[str, int] = {}
    for identity, project in bind.execute(sa.text("SELECT id, project_id FROM take")):
        found = re.search(r"-(\d{3,})-[0-9a-f]{4}$", identity)
        called[project] = max(called.get(project, 0) + (found is None), int(found[1]) if found else 0)
    for project, number in called.items():
        bind.execute(sa.text("UPDATE project SET takes_called = :n WHERE id = :p"), {"n": number, "p": project})
