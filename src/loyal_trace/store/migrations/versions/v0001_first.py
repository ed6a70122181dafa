"""The first schema: jobs, entries (append-only by trigger), board files."""

import sqlalchemy as sa
from alembic import op

from loyal_trace.store.schema import APPEND_ONLY

revision = "0001"
down_revision = None
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Makes the tables and the two triggers that keep the logbook append-only."""
    op.create_table(
        "jobs",
        sa.Column("id", sa.String(64), primary_key=True),
        sa.Column("title", sa.Text, nullable=False),
        sa.Column("opened", sa.String(40), nullable=False),
    )
    op.create_table(
        "entries",
        sa.Column("seq", sa.Integer, primary_key=True, autoincrement=True),
        sa.Column("job", sa.String(64), sa.ForeignKey("jobs.id"), nullable=False),
        sa.Column("id", sa.String(64), nullable=False),
        sa.Column("body", sa.Text, nullable=False),
        sa.UniqueConstraint("job", "id", name="uq_entries_job_id"),
        sqlite_autoincrement=True,
    )
    op.create_table(
        "board_files",
        sa.Column("job", sa.String(64), sa.ForeignKey("jobs.id"), primary_key=True),
        sa.Column("board", sa.String(64), primary_key=True),
        sa.Column("name", sa.String(64), primary_key=True),
        sa.Column("data", sa.LargeBinary, nullable=False),
    )
    for trigger in APPEND_ONLY:
        op.execute(trigger)
