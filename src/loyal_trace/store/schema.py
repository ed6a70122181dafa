"""The tables. The schema on disk is made by the migrations; a test holds the two against each other."""

import sqlalchemy as sa

metadata = sa.MetaData()

jobs = sa.Table(
    "jobs",
    metadata,
    sa.Column("id", sa.String(64), primary_key=True),
    sa.Column("title", sa.Text, nullable=False),
    sa.Column("opened", sa.String(40), nullable=False),
)

entries = sa.Table(
    "entries",
    metadata,
    sa.Column("seq", sa.Integer, primary_key=True, autoincrement=True),
    sa.Column("job", sa.String(64), sa.ForeignKey("jobs.id"), nullable=False),
    sa.Column("id", sa.String(64), nullable=False),
    sa.Column("body", sa.Text, nullable=False),
    sa.UniqueConstraint("job", "id", name="uq_entries_job_id"),
    sqlite_autoincrement=True,
)

board_files = sa.Table(
    "board_files",
    metadata,
    sa.Column("job", sa.String(64), sa.ForeignKey("jobs.id"), primary_key=True),
    sa.Column("board", sa.String(64), primary_key=True),
    sa.Column("name", sa.String(64), primary_key=True),
    sa.Column("data", sa.LargeBinary, nullable=False),
)

job_states = sa.Table(
    "job_states",
    metadata,
    sa.Column("job", sa.String(64), sa.ForeignKey("jobs.id"), primary_key=True),
    sa.Column("state", sa.String(16), nullable=False),
    sa.Column("since", sa.String(40), nullable=False),
)

APPEND_ONLY = (
    "CREATE TRIGGER entries_no_update BEFORE UPDATE ON entries "
    "BEGIN SELECT RAISE(ABORT, 'the logbook is append-only'); END",
    "CREATE TRIGGER entries_no_delete BEFORE DELETE ON entries "
    "BEGIN SELECT RAISE(ABORT, 'the logbook is append-only'); END",
)
