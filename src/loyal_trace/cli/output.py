"""How commands print: one JSON document, or lines for people."""

import json
from collections.abc import Sequence
from typing import Any


def print_json(document: Any) -> None:
    """One JSON document on standard output."""
    print(json.dumps(document, indent=2, ensure_ascii=False, allow_nan=False))


def print_table(rows: Sequence[tuple[str, ...]]) -> None:
    """Columns as wide as their widest cell; the last one runs free."""
    widths = [max(len(row[i]) for row in rows) for i in range(len(rows[0]) - 1)] if rows else []
    for row in rows:
        print("  ".join([*(cell.ljust(w) for cell, w in zip(row, widths, strict=False)), row[-1]]).rstrip())
