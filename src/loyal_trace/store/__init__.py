"""The logbook and the attachments on disk."""
