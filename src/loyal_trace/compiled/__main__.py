"""Compiles the helper: `python -m loyal_trace.compiled`. Without a compiler it says so."""

import sys

from loyal_trace.compiled import compile_helper

if __name__ == "__main__":
    place = compile_helper()
    sys.stdout.write(f"compiled: {place}\n" if place else "no C compiler here: long restorations take longer\n")
