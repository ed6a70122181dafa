"""The job: typed entries, the one registry of their kinds, the fold, and the frozen snapshot that it gives."""
