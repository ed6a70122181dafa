"""Made-up repairs on boards without definition: how often the faulty part is found, and healthy ones condemned."""

from tests.helpers.repairs import made_up

from benchmarks.measure import Figure

_BOARDS, _LINES = 200, 12


def run() -> list[Figure]:
    """200 boards with all paths told; and as many harsh ones: omitted stages, untold functions, 4 % false answers."""
    plain = _measured("paths told", 0.90, 0.97, 1 / 50)
    return [*plain, *_measured("harsh world", 0.80, 0.90, 1 / 15, omitted=0.1, without_path=0.15, false=0.04)]


def _measured(world: str, first: float, three: float, innocent: float, **how: float) -> list[Figure]:
    hits = among = condemned = wrong = 0
    for seed in range(_BOARDS):
        repair = made_up(seed, **how)
        if not repair.ranking():
            continue
        for _ in range(_LINES):
            repair.next_line()
        faulty = {fault.part for fault in repair.faults}
        ranking = repair.ranking()
        hits += ranking[0][0] in faulty
        among += bool(faulty & {place for place, _ in ranking[:3]})
        condemned += sum(chance > 0.9 for _, chance in ranking)
        wrong += sum(chance > 0.9 and place not in faulty for place, chance in ranking)
    share = wrong / condemned if condemned else 0.0
    about = f"{_BOARDS} boards, {_LINES} lines, {world}"
    return [
        Figure(f"repairs, {world}: first", hits / _BOARDS, first, "", False, about),
        Figure(f"repairs, {world}: among three", among / _BOARDS, three, "", False, about),
        Figure(f"repairs, {world}: innocent above 90 %", share, innocent, "", True, f"of {condemned} condemned"),
    ]
