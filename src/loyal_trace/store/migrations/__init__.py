"""Alembic migrations of the store, run by `store.connection` when the file on disk is older than the program."""
