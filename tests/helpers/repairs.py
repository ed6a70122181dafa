"""Made-up boards with hidden faults, told only by what a person could type: paths, what works and fails, exchanges.

The generator knows the faults; the diagnosing side gets statements, of which some are false, and asks for the next one.
"""

import random
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta

from loyal_trace.core.diagnosis.paths import Case, Exchange, PathOdds, Statement, path_odds
from loyal_trace.core.vocabulary.identity import PartRef

# A function whose path nobody told is asked about while nothing is as clear as this.
CLEAR = 0.9
# How often a bad stage pulls down the signal of the one before it.
LOADS = 0.1
START = datetime(2026, 11, 1, tzinfo=UTC)
_SEEN = {"dead": (0.02, 0.03, 0.95), "partial": (0.15, 0.65, 0.20)}


@dataclass(frozen=True)
class Fault:
    """What is hidden: a part, the functions it spoils, dead or partial, its body or its place."""

    part: PartRef
    functions: frozenset[str]
    degree: str
    body: bool


@dataclass
class Repair:
    """One made-up board with its faults, and what was told so far."""

    dice: random.Random
    false: float = 0.02
    omitted: float = 0.0
    paths: dict[str, tuple[PartRef, ...]] = field(default_factory=dict)
    told: dict[str, tuple[PartRef, ...]] = field(default_factory=dict)
    faults: tuple[Fault, ...] = ()
    statements: list[Statement] = field(default_factory=list)
    exchanges: list[Exchange] = field(default_factory=list)
    priors: dict[PartRef, float] = field(default_factory=dict)
    lines: int = 0
    asked: set = field(default_factory=set)

    @property
    def now(self) -> datetime:
        return START + timedelta(minutes=len(self.statements) + len(self.exchanges))

    def try_function(self, name: str) -> None:
        """The person says how a function does; some answers are false."""
        states = [self._state(name, fault) for fault in self.faults if name in fault.functions]
        truth = max(states, key=("works", "partly", "fails").index, default="works")
        said = self.dice.choice(("works", "partly", "fails")) if self.dice.random() < self.false else truth
        self.statements.append(Statement(name, said, self.now))
        self.lines += 1

    def look_at(self, name: str, part: PartRef) -> None:
        """The person looks at the signal of a function after a part; a bad stage may load the one before it."""
        path = self.paths[name]
        stretch = path[: path.index(part) + 1]
        hit = [fault for fault in self.faults if name in fault.functions and fault.part in stretch]
        states = [self._state(name, fault) for fault in hit]
        loaded = [f for f in self.faults if f.part in path[len(stretch) : len(stretch) + 1] and name in f.functions]
        if not states and loaded and self.dice.random() < LOADS:
            states = ["fails"]
        truth = max(states, key=("works", "partly", "fails").index, default="works")
        said = self.dice.choice(("works", "partly", "fails")) if self.dice.random() < self.false else truth
        self.statements.append(Statement(name, said, self.now, part))
        self.lines += 1

    def _state(self, name: str, fault: Fault) -> str:
        # By what the fault is, in an order of its own: that of a set is another one in every run.
        return random.Random(f"{name} {fault.part} {sorted(fault.functions)} {fault.degree}").choices(
            ("works", "partly", "fails"), _SEEN[fault.degree]
        )[0]

    def exchange(self, part: PartRef) -> None:
        """The body of a part is exchanged with a spare, of which some are bad too."""
        bad_spare = self.dice.random() < 0.15
        mine = [fault for fault in self.faults if fault.part == part and fault.body]
        others = len(self.faults) - len(mine)
        outcome = "stays" if not mine or bad_spare else "partly" if others else "gone"
        self.exchanges.append(Exchange(part, outcome, self.now))
        self.lines += 1

    def odds(self) -> PathOdds | None:
        """What the program makes of all that."""
        return path_odds(Case(self.told, tuple(self.statements), self.priors, tuple(self.exchanges)))

    def ranking(self) -> list[tuple[PartRef, float]]:
        odds = self.odds()
        return sorted(odds.probability.items(), key=lambda item: -item[1]) if odds else []

    def fill(self, gap) -> bool:
        """The person looks at the board and says what lies between two stages; False when that was asked before."""
        key = (gap.first, gap.second)
        if key in self.asked:
            return False
        self.asked.add(key)
        for name, path in self.paths.items():
            told = self.told.get(name, ())
            if gap.first in told and gap.second in told and gap.first in path and gap.second in path:
                start, end = path.index(gap.first), path.index(gap.second)
                between = [part for part in path[start + 1 : end] if part not in told] if start < end else []
                at = told.index(gap.first) + 1
                self.told[name] = (*told[:at], *between, *told[at:])
        for part in {part for path in self.told.values() for part in path}:
            self.priors.setdefault(part, 0.05)
        self.lines += 1
        return True

    def tell_path(self) -> bool:
        """The person looks up the path of a failing function that has none; some stages of it stay untold."""
        states = {statement.function: statement.state for statement in self.statements}
        name = next((n for n in sorted(self.paths) if n not in self.told and states.get(n, "works") != "works"), None)
        if name is None:
            return False
        kept = tuple(part for part in self.paths[name] if self.dice.random() >= self.omitted)
        self.told[name] = kept if len(kept) > 1 else self.paths[name]
        for part in self.told[name]:
            self.priors.setdefault(part, 0.05)
        self.lines += 1
        return True

    def next_line(self) -> None:
        """The line that is expected to tell most for its minutes; an exchange takes longer than trying a function."""
        odds = self.odds()
        ranking = self.ranking()
        if (not ranking or ranking[0][1] < CLEAR) and self.tell_path():
            return
        if odds is None:
            return
        if odds.gap is not None and odds.gap.probability > 0.25 and self.fill(odds.gap):
            return
        tried = {statement.function for statement in self.statements}
        swapped = [exchange.part for exchange in self.exchanges]
        choices = [(odds.worlds.bits_of_function(f) / 4, "function", f) for f in self.told if f not in tried]
        # A spare can be bad: a second one settles what the first did not.
        likely = [place for place, probability in self.ranking()[:8] if swapped.count(place) < 2]
        choices += [(odds.worlds.bits_of_exchange(place) / 9, "exchange", place) for place in likely]
        looked = {(s.function, s.upto) for s in self.statements}
        choices += [
            (odds.worlds.bits_of_signal(*place) / 5, "signal", place)
            for place in odds.worlds.stages
            if place not in looked
        ]
        if not choices:
            return
        _, kind, what = max(choices, key=lambda choice: (choice[0], str(choice[2])))
        if kind == "signal":
            self.look_at(*what)
        else:
            self.try_function(what) if kind == "function" else self.exchange(what)


@dataclass
class Tally:
    """Of many repairs: the faulty part first, among three; parts above 90 %, healthy ones among them."""

    first: int = 0
    three: int = 0
    condemned: int = 0
    innocent: int = 0


def repaired(boards: int, lines: int, **how: float) -> Tally:
    """So many made-up boards, each told by its first statements and so many lines more."""
    tally = Tally()
    for seed in range(boards):
        repair = made_up(seed, **how)
        for _ in range(lines):
            repair.next_line()
        if not repair.ranking():
            continue
        faulty, ranking = {fault.part for fault in repair.faults}, repair.ranking()
        above = [place for place, chance in ranking if chance > 0.9]
        tally.first += ranking[0][0] in faulty
        tally.three += bool(faulty & {place for place, _ in ranking[:3]})
        tally.condemned += len(above)
        tally.innocent += sum(place not in faulty for place in above)
    return tally


def made_up(seed: int, omitted: float = 0.0, without_path: float = 0.0, false: float = 0.02) -> Repair:
    """A board of 20 to 40 parts and 6 to 14 functions; one fault, or two on three boards in ten.

    `omitted`: share of stages that nobody told; `without_path`: share of functions whose path nobody told.
    """
    dice = random.Random(seed)
    parts = [PartRef("own", f"U{n}") for n in range(1, dice.randint(21, 41))]
    repair = Repair(dice, false, omitted)
    for n in range(dice.randint(6, 14)):
        repair.paths[f"function {n}"] = tuple(dice.sample(parts, dice.randint(3, 9)))
    for name, path in repair.paths.items():
        if dice.random() >= without_path:
            kept = tuple(part for part in path if dice.random() >= omitted)
            repair.told[name] = kept if len(kept) > 1 else path
    used = sorted({part for path in repair.told.values() for part in path})
    repair.priors = {part: dice.choice((0.03, 0.05, 0.15)) for part in used}
    everything = sorted({part for path in repair.paths.values() for part in path})
    odds = [repair.priors.get(part, 0.05) for part in everything]
    chosen = dict.fromkeys(dice.choices(everything, odds, k=2 if dice.random() < 0.3 else 1))
    repair.faults = tuple(_fault(dice, part, repair.paths) for part in chosen)
    for name in sorted(repair.paths):
        repair.try_function(name)
    failing = sorted({name for fault in repair.faults for name in fault.functions})
    if failing and all(statement.state == "works" for statement in repair.statements):
        repair.statements.append(Statement(failing[0], "fails", repair.now))  # the complaint
    repair.lines = 0
    return repair


def _fault(dice: random.Random, part: PartRef, paths: dict[str, tuple[PartRef, ...]]) -> Fault:
    users = [name for name, path in paths.items() if part in path]
    whole = dice.random() < 0.3
    functions = frozenset(users) if whole else frozenset({dice.choice(users)})
    return Fault(part, functions, "dead" if dice.random() < 0.75 else "partial", dice.random() < 0.8)
