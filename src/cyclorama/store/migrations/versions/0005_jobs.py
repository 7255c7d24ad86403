"""Work in the background is kept; lists of takes are drawn without their documents and frames."""

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"


def upgrade() -> None:
    op.add_column("take", sa.Column("slate", sa.String, nullable=True))
    op.add_column("frame", sa.Column("bytes", sa.Integer, nullable=False, server_default="0"))
    _weigh_frames()
    op.create_table(
        "job",
        sa.Column("number", sa.Integer, primary_key=True),
        sa.Column("id", sa.String, nullable=False, unique=True),
        *(sa.Column(name, sa.String, nullable=False) for name in ("kind", "about", "name", "spec", "state")),
        sa.Column("stopping", sa.Boolean, nullable=False),
        sa.Column("what", sa.String, nullable=False),
        sa.Column("share", sa.Double, nullable=False),
        sa.Column("message", sa.String, nullable=False),
        sa.Column("result", sa.String, nullable=True),
        sa.Column("owner", sa.String, nullable=True),
        sa.Column("tries", sa.Integer, nullable=False),
        sa.Column("created", sa.DateTime, nullable=False),
    )
    op.create_index("job_by_about", "job", ["kind", "about"])


def _weigh_frames() -> None:
    """Bytes of all files of a frame; of one recorded before sums were kept of all of them, of its picture."""
    op.execute(
        """UPDATE frame SET bytes = coalesce((
             SELECT sum(json_extract(file.value, '$[1]'))
             FROM json_each(CASE json_valid(frame.files) WHEN 1 THEN frame.files ELSE '{}' END) AS file
             WHERE file.type = 'array'
           ), size)"""
    )
