"""Made-up repairs on boards without definition: how often the faulty part is found, and healthy ones condemned."""

from tests.helpers.repairs import repaired

from benchmarks.measure import Figure

_BOARDS, _LINES = 200, 12


def run() -> list[Figure]:
    """200 boards with all paths told; and as many harsh ones: omitted stages, untold functions, 4 % false answers."""
    plain = _measured("paths told", 0.90, 0.97, 1 / 50)
    return [*plain, *_measured("harsh world", 0.80, 0.90, 1 / 15, omitted=0.1, without_path=0.15, false=0.04)]


def _measured(world: str, first: float, three: float, innocent: float, **how: float) -> list[Figure]:
    found = repaired(_BOARDS, _LINES, **how)
    share = found.innocent / found.condemned if found.condemned else 0.0
    about = f"{_BOARDS} boards, {_LINES} lines, {world}"
    return [
        Figure(f"repairs, {world}: first", found.first / _BOARDS, first, "", False, about),
        Figure(f"repairs, {world}: among three", found.three / _BOARDS, three, "", False, about),
        Figure(f"repairs, {world}: innocent above 90 %", share, innocent, "", True, f"of {found.condemned} condemned"),
    ]
