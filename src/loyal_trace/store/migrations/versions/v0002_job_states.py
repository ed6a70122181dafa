"""Jobs can be archived, hidden, and deleted with thirty days to change one's mind."""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Makes the table of states; a job without a row is open."""
    op.create_table(
        "job_states",
        sa.Column("job", sa.String(64), sa.ForeignKey("jobs.id"), primary_key=True),
        sa.Column("state", sa.String(16), nullable=False),
        sa.Column("since", sa.String(40), nullable=False),
    )
