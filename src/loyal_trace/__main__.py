"""`python -m loyal_trace` is the command `loyal-trace`."""

import sys

from loyal_trace.cli import main

if __name__ == "__main__":
    sys.exit(main())
