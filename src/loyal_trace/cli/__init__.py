"""The command line: the same core as the window, for scripts and checks."""

from loyal_trace.cli.main import main

__all__ = ["main"]
