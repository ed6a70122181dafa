"""What chips do, written from their function tables and independently of the chip data: plain Python on named levels."""


def bits(value, count):
    return [value >> n & 1 for n in range(count)]


def number(levels, names):
    return sum(levels[name] << n for n, name in enumerate(names))


def low(*levels):
    return int(not any(levels))


def _sections(count, inputs, output, rule):
    """The same gate several times over: pin names with a number in them."""

    def truth(v):
        return {output.format(n=n): int(rule(*(v[name.format(n=n)] for name in inputs))) for n in range(1, count + 1)}

    return truth


def _nand(*v):
    return not all(v)


def _nor(*v):
    return not any(v)


def _odd(*v):
    return sum(v) % 2


AB, ABC, ABCD = ("{n}A", "{n}B"), ("{n}A", "{n}B", "{n}C"), ("{n}A", "{n}B", "{n}C", "{n}D")


def _decoder(names, outputs, enabled, active_low=True):
    def truth(v):
        chosen = number(v, names) if enabled(v) else None
        return {out: int((n == chosen) != active_low) for n, out in enumerate(outputs)}

    return truth


def _data(prefix, count):
    return [f"{prefix}{n}" for n in range(count)]


def _segments(tails):
    shapes = [
        "abcdef",
        "bc",
        "abdeg",
        "abcdg",
        "bcfg",
        "acdfg",
        "cdefg",
        "abc",
        "abcdefg",
        "abcfg",
        "deg",
        "cdg",
        "bfg",
        "adfg",
        "defg",
    ] + [""]
    if tails:
        shapes[6], shapes[9] = "acdefg", "abcdfg"
    return shapes


def _seven(active_low, tails=False):
    def truth(v):
        shape = _segments(tails)[number(v, "ABCD")]
        lit = {s: not v["/LT"] or (v["/RBO"] and s in shape) for s in "abcdefg"}
        return {s: int(bool(on) != active_low) for s, on in lit.items()}

    return truth


def _adder(names_a, names_b, carry, sums, out):
    def truth(v):
        total = number(v, names_a) + number(v, names_b) + v[carry]
        return dict(zip((*sums, out), bits(total, 5), strict=True))

    return truth


def _priority(inputs, enable):
    """8 to 3: the highest low input counts."""

    def truth(v):
        chosen = max((n for n, name in enumerate(inputs) if not v[name]), default=None)
        off = v[enable] or chosen is None
        code = [1 - bit for bit in bits(chosen, 3)] if not off else [1, 1, 1]
        shown = {f"/A{n}": bit for n, bit in enumerate(code)}
        return {**shown, "/GS": int(off), "/EO": int(v[enable] or chosen is not None)}

    return truth


def _decimal_priority(v):
    chosen = max((n for n in range(1, 10) if not v[f"/I{n}"]), default=0)
    return {f"/Y{name}": 1 - bit for name, bit in zip("ABCD", bits(chosen, 4), strict=True)}


def _parity180(v):
    odd = _odd(*(v[name] for name in "ABCDEFGH"))
    if v["EVEN"] == v["ODD"]:
        return {"SE": 1 - v["EVEN"], "SO": 1 - v["EVEN"]}
    even_shown = odd if v["ODD"] else 1 - odd
    return {"SE": even_shown, "SO": 1 - even_shown}


def _compare(gt):
    def truth(v):
        p, q = number(v, _data("P", 8)), number(v, _data("Q", 8))
        shown = {"/EQ": int(p != q)}
        return {**shown, "/GT": int(not p > q)} if gt else {"/EQ": int(p != q or v["/G"])}

    return truth


def _carry_ahead(v):
    generate, propagate = [1 - v[f"/G{n}"] for n in range(4)], [1 - v[f"/P{n}"] for n in range(4)]
    carry, carries = v["CN"], []
    for n in range(3):
        carry = generate[n] | (propagate[n] & carry)
        carries.append(carry)
    group = 0
    for n in range(4):
        group = generate[n] | (propagate[n] & group)
    return {"CNX": carries[0], "CNY": carries[1], "CNZ": carries[2], "/G": 1 - group, "/P": 1 - min(propagate)}


GATES = {
    **dict.fromkeys(("7401", "7426", "7437", "7438", "74132"), _sections(4, AB, "{n}Y", _nand)),
    **dict.fromkeys(("7406", "7416"), _sections(6, ("{n}A",), "{n}Y", _nand)),
    "7417": _sections(6, ("{n}A",), "{n}Y", all_ := (lambda a: a)),
    "7409": _sections(4, AB, "{n}Y", lambda a, b: a and b),
    **dict.fromkeys(("7428", "7433"), _sections(4, AB, "{n}Y", _nor)),
    "7412": _sections(3, ABC, "{n}Y", _nand),
    "7421": _sections(2, ABCD, "{n}Y", lambda *v: all(v)),
    **dict.fromkeys(("7422", "7440", "7413", "74140"), _sections(2, ABCD, "{n}Y", _nand)),
    "7425": _sections(2, (*ABCD, "{n}G"), "{n}Y", lambda a, b, c, d, g: not ((a or b or c or d) and g)),
    "74136": _sections(4, AB, "{n}Y", _odd),
    "74266": _sections(4, AB, "{n}Y", lambda a, b: a == b),
    "74260": _sections(2, (*ABCD, "{n}E"), "{n}Y", _nor),
    "7451": lambda v: {
        "1Y": low(v["1A"] & v["1B"] & v["1C"], v["1D"] & v["1E"] & v["1F"]),
        "2Y": low(v["2A"] & v["2B"], v["2C"] & v["2D"]),
    },
    "74133": lambda v: {"Y": int(not all(v[name] for name in "ABCDEFGHIJKLM"))},
    **dict.fromkeys(("7445", "74145"), _decoder("ABCD", [f"/Y{n}" for n in range(10)], lambda v: True)),
    **dict.fromkeys(("7446", "7447"), _seven(True)),
    "7448": _seven(False),
    **dict.fromkeys(("74246", "74247"), _seven(True, True)),
    "7483": _adder(
        [f"A{n}" for n in range(1, 5)], [f"B{n}" for n in range(1, 5)], "C0", [f"S{n}" for n in range(1, 5)], "C4"
    ),
    "4008": _adder(
        [f"A{n}" for n in range(1, 5)], [f"B{n}" for n in range(1, 5)], "CI", [f"S{n}" for n in range(1, 5)], "CO"
    ),
    "74148": _priority([f"/I{n}" for n in range(8)], "/EI"),
    "74147": _decimal_priority,
    "74150": lambda v: {"W": int(v["/G"] or not v[f"E{number(v, 'ABCD')}"])},
    "74152": lambda v: {"W": 1 - v[f"D{number(v, 'ABC')}"]},
    **dict.fromkeys(
        ("74154", "74159"), _decoder("ABCD", [f"/Y{n}" for n in range(16)], lambda v: not v["/G1"] and not v["/G2"])
    ),
    **dict.fromkeys(
        ("74155", "74156"),
        lambda v: {
            **_decoder("AB", [f"/1Y{n}" for n in range(4)], lambda w: w["1C"] and not w["/1G"])(v),
            **_decoder("AB", [f"/2Y{n}" for n in range(4)], lambda w: not w["/2C"] and not w["/2G"])(v),
        },
    ),
    "74180": _parity180,
    "74280": lambda v: {"ODD": _odd(*(v[n] for n in "ABCDEFGHI")), "EVEN": 1 - _odd(*(v[n] for n in "ABCDEFGHI"))},
    "74182": _carry_ahead,
    "74352": lambda v: {f"/{n}Y": int(v[f"/{n}G"] or not v[f"{n}C{number(v, 'AB')}"]) for n in (1, 2)},
    **dict.fromkeys(("74682", "74684"), _compare(True)),
    **dict.fromkeys(("74688", "74521"), _compare(False)),
    "4001": _sections(4, AB, "{n}Y", _nor),
    **dict.fromkeys(("4011", "4093"), _sections(4, AB, "{n}Y", _nand)),
    **dict.fromkeys(("4030", "4070"), _sections(4, AB, "{n}Y", _odd)),
    "4071": _sections(4, AB, "{n}Y", lambda a, b: a or b),
    "4077": _sections(4, AB, "{n}Y", lambda a, b: a == b),
    "4081": _sections(4, AB, "{n}Y", lambda a, b: a and b),
    "4002": _sections(2, ABCD, "{n}Y", _nor),
    "4012": _sections(2, ABCD, "{n}Y", _nand),
    "4023": _sections(3, ABC, "{n}Y", _nand),
    "4025": _sections(3, ABC, "{n}Y", _nor),
    "4073": _sections(3, ABC, "{n}Y", lambda *v: all(v)),
    "4075": _sections(3, ABC, "{n}Y", lambda *v: any(v)),
    "4068": lambda v: {
        "AND": int(all(v[n] for n in "ABCDEFGH")),
        "NAND": int(not all(v[n] for n in "ABCDEFGH")),
    },
    "4078": lambda v: {"OR": int(any(v[n] for n in "ABCDEFGH")), "NOR": int(not any(v[n] for n in "ABCDEFGH"))},
    **dict.fromkeys(("4049", "4069", "40106"), _sections(6, ("{n}A",), "{n}Y", _nand)),
    "4050": _sections(6, ("{n}A",), "{n}Y", lambda a: a),
    "4028": _decoder("ABCD", [f"Y{n}" for n in range(10)], lambda v: True, active_low=False),
    "4085": _sections(2, (*ABCD, "{n}INH"), "{n}Y", lambda a, b, c, d, i: not (i or (a and b) or (c and d))),
    "4532": lambda v: {
        **dict(
            zip(
                ("Q0", "Q1", "Q2"),
                bits(max((n for n in range(8) if v[f"D{n}"]), default=0) if v["EI"] else 0, 3),
                strict=True,
            )
        ),
        "GS": int(v["EI"] and any(v[f"D{n}"] for n in range(8))),
        "EO": int(v["EI"] and not any(v[f"D{n}"] for n in range(8))),
    },
    "4539": lambda v: {f"{n}Y": int(not v[f"/{n}G"] and v[f"{n}C{number(v, 'AB')}"]) for n in (1, 2)},
    "4555": lambda v: {
        f"{n}Y{k}": int(not v[f"/{n}E"] and number(v, (f"{n}A", f"{n}B")) == k) for n in (1, 2) for k in range(4)
    },
    "4556": lambda v: {
        f"/{n}Y{k}": int(not (not v[f"/{n}E"] and number(v, (f"{n}A", f"{n}B")) == k)) for n in (1, 2) for k in range(4)
    },
    "ULN2003": _sections(7, ("{n}B",), "{n}C", _nand),
    "75452": _sections(2, AB, "{n}Y", _nand),
}


# Counters and registers: a state, and what an edge of the clock and the asynchronous pins do to it.


class Counter:
    """A counter of four bits: modulus, which way it goes, what clears and loads it."""

    def __init__(self, modulus, outputs, rules):
        self.modulus, self.outputs, self.rules = modulus, outputs, rules
        self.state, self.before = 0, None

    def step(self, v):
        """The outputs after the levels of the pins have changed to these."""
        before, self.before = self.before, dict(v)
        if before is not None:
            self.state = self.rules["edge"](self, before, v)
        self.state = self.rules.get("at once", lambda c, w: c.state)(self, v)
        shown = dict(zip(self.outputs, bits(self.state, len(self.outputs)), strict=True))
        return {**shown, **self.rules.get("more", lambda c, w: {})(self, v)}

    def up(self):
        return (self.state + 1) % self.modulus

    def down(self):
        return (self.state - 1) % self.modulus


def rising(before, v, name):
    return v[name] and not before[name]


def falling(before, v, name):
    return before[name] and not v[name]


Q4 = ("QA", "QB", "QC", "QD")
IN4 = "ABCD"


def _synchronous(modulus, clear_at_once):
    def edge(c, before, v):
        if not rising(before, v, "CLK"):
            return c.state
        if not before["/CLR"] and not clear_at_once:
            return 0
        if not before["/LOAD"]:
            return number(before, IN4)
        return c.up() if before["ENP"] and before["ENT"] else c.state

    def at_once(c, v):
        return 0 if clear_at_once and not v["/CLR"] else c.state

    def more(c, v):
        return {"RCO": int(bool(v["ENT"]) and c.state == modulus - 1)}

    return lambda: Counter(modulus, Q4, {"edge": edge, "at once": at_once, "more": more})


def _up_down(modulus):
    def edge(c, before, v):
        if not rising(before, v, "CLK"):
            return c.state
        if not before["/LOAD"]:
            return number(before, IN4)
        if before["/ENP"] or before["/ENT"]:
            return c.state
        return c.up() if before["U"] else c.down()

    def more(c, v):
        end = modulus - 1 if v["U"] else 0
        return {"/RCO": int(not (not v["/ENT"] and c.state == end))}

    return lambda: Counter(modulus, Q4, {"edge": edge, "more": more})


def _one_clock(modulus):
    def edge(c, before, v):
        if rising(before, v, "CLK") and not before["/G"]:
            return c.down() if before["DU"] else c.up()
        return c.state

    def at_once(c, v):
        return number(v, IN4) if not v["/LOAD"] else c.state

    def more(c, v):
        at_end = c.state == (0 if v["DU"] else modulus - 1)
        return {"MAX": int(at_end), "/RCO": int(not (at_end and not v["/G"] and not v["CLK"]))}

    return lambda: Counter(modulus, Q4, {"edge": edge, "at once": at_once, "more": more})


def _two_clocks(modulus):
    def edge(c, before, v):
        if rising(before, v, "UP") and before["DN"] and v["DN"]:
            return c.up()
        if rising(before, v, "DN") and before["UP"] and v["UP"]:
            return c.down()
        return c.state

    def at_once(c, v):
        return 0 if v["CLR"] else number(v, IN4) if not v["/LOAD"] else c.state

    def more(c, v):
        return {
            "/CO": int(not (c.state == modulus - 1 and not v["UP"])),
            "/BO": int(not (c.state == 0 and not v["DN"])),
        }

    return lambda: Counter(modulus, Q4, {"edge": edge, "at once": at_once, "more": more})


def _ripple(stages, shown, clock, reset):
    def edge(c, before, v):
        return c.up() if falling(before, v, clock) else c.state

    def at_once(c, v):
        return 0 if v[reset] else c.state

    def more(c, v):
        return {f"Q{n}": c.state >> n - 1 & 1 for n in shown}

    return lambda: Counter(2**stages, (), {"edge": edge, "at once": at_once, "more": more})


def _johnson(count):
    def edge(c, before, v):
        gated = (before["CLK"] and not before["INH"], v["CLK"] and not v["INH"])
        return c.up() if gated[1] and not gated[0] else c.state

    def at_once(c, v):
        return 0 if v["RST"] else c.state

    def more(c, v):
        return {**{f"Y{n}": int(c.state == n) for n in range(count)}, "CO": int(c.state < count / 2)}

    return lambda: Counter(count, (), {"edge": edge, "at once": at_once, "more": more})


def _dual(modulus):
    """4518, 4520: a rising clock with the enable high, or a falling enable with the clock low."""

    class Both:
        def __init__(self):
            self.states, self.before = {1: 0, 2: 0}, None

        def step(self, v):
            for n in (1, 2):
                clock, enable = f"{n}CLK", f"{n}EN"
                if self.before is not None:
                    b = self.before
                    counts = (rising(b, v, clock) and b[enable] and v[enable]) or (
                        falling(b, v, enable) and not b[clock] and not v[clock]
                    )
                    both = v[clock] != b[clock] and v[enable] != b[enable]
                    if counts and not both:
                        self.states[n] = (self.states[n] + 1) % modulus
                if v[f"{n}RST"]:
                    self.states[n] = 0
            self.before = dict(v)
            return {f"{n}Q{k + 1}": s >> k & 1 for n, s in self.states.items() for k in range(4)}

    return Both


def _bcd_presettable(top):
    """4510, 4516."""

    def edge(c, before, v):
        if rising(before, v, "CLK") and not before["/CI"]:
            return c.up() if before["UD"] else c.down()
        return c.state

    def at_once(c, v):
        return 0 if v["RST"] else number(v, ("P1", "P2", "P3", "P4")) if v["PE"] else c.state

    def more(c, v):
        end = top - 1 if v["UD"] else 0
        return {"/CO": int(not (not v["/CI"] and c.state == end))}

    return lambda: Counter(top, ("Q1", "Q2", "Q3", "Q4"), {"edge": edge, "at once": at_once, "more": more})


COUNTERS = {
    "74160": _synchronous(10, True),
    "74162": _synchronous(10, False),
    "40160": _synchronous(10, True),
    "40161": _synchronous(16, True),
    "40162": _synchronous(10, False),
    "40163": _synchronous(16, False),
    "74168": _up_down(10),
    "74169": _up_down(16),
    "74190": _one_clock(10),
    "74191": _one_clock(16),
    "74192": _two_clocks(10),
    "74193": _two_clocks(16),
    "4020": _ripple(14, (1, *range(4, 15)), "CLK", "RST"),
    "4024": _ripple(7, range(1, 8), "CLK", "RST"),
    "4040": _ripple(12, range(1, 13), "CLK", "RST"),
    "4017": _johnson(10),
    "4022": _johnson(8),
    "4510": _bcd_presettable(10),
    "4516": _bcd_presettable(16),
    "4518": _dual(10),
    "4520": _dual(16),
}
