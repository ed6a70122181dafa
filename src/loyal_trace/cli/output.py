"""How commands print: one JSON document, or lines for people."""

import json
import sys
from collections.abc import Sequence
from typing import Any

from loyal_trace.core.vocabulary.phrases import joined
from loyal_trace.language import shown


def print_json(document: Any) -> None:
    """One JSON document on standard output."""
    print(json.dumps(document, indent=2, ensure_ascii=False, allow_nan=False))


def tell(text: str = "", error: bool = False) -> None:
    """A line for people, on standard error if it is about an error, in their language."""
    print(shown(text), file=sys.stderr if error else sys.stdout)


def print_table(told: Sequence[tuple[str, ...]]) -> None:
    """Columns as wide as their widest cell; the last one runs free."""
    rows = [tuple(shown(cell) for cell in row) for row in told]
    widths = [max(len(row[i]) for row in rows) for i in range(len(rows[0]) - 1)] if rows else []
    for row in rows:
        print(joined("  ", [*(cell.ljust(w) for cell, w in zip(row, widths, strict=False)), row[-1]]).rstrip())
