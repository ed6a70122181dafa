"""The logbook: the typed entries, and the fold that turns them into the state of the job."""
