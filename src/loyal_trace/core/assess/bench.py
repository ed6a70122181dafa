"""The bench of this job: what it can do, and what the job asks of it beyond that."""

from loyal_trace.core.assess.moment import Moment, once
from loyal_trace.core.assess.rails import draw
from loyal_trace.core.proving.bench import BenchProfile, Shortfall, profile_of, shortfalls


@once
def bench_of(moment: Moment) -> BenchProfile:
    """What the bench of this job can do."""
    decided = {what: entry.choice for what, entry in moment.snapshot.paper.decisions.items()}
    return profile_of(decided, moment.workshop)


@once
def shortfalls_of(moment: Moment) -> tuple[Shortfall, ...]:
    """What the job asks of the bench beyond that."""
    taken = {key.quantity for key in moment.snapshot.readings.measured}
    draws = {board_id: draw(moment, board_id) for board_id in moment.boards}
    return shortfalls(moment.boards, bench_of(moment), draws, taken)
