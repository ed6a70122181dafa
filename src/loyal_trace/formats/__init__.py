"""Open formats in and out: one module a format, tolerant of real files and strict in its errors."""
