"""The kinds of entries, one module a family. `job.entries` brings them together."""
