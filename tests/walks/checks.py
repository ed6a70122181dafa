"""What a walk can check: entries, verdicts, places, order; never sentences."""

from loyal_trace.app.job import OpenJob
from loyal_trace.core.assess.bits import bit_verdicts
from loyal_trace.core.assess.swaps import bad_spares
from loyal_trace.core.assess.told import conflicts_of
from loyal_trace.core.job.snapshot import SymptomKey
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.report.model import build_report


def live(job):
    """The entries that count."""
    return [e for e in job.entries if e.id not in job.retracted and e.kind != "retracted"]


def _entries(job, *kinds):
    """`check entries removed fitted`: the last entries that count are of these kinds, in this order."""
    found = [e.kind for e in live(job)][-len(kinds) :]
    assert found == list(kinds), found


def _count(job, kind, number):
    """`check count note 3`: so many entries of a kind count."""
    found = sum(e.kind == kind for e in live(job))
    assert found == int(number), found


def _chip(job, board, refdes, *word):
    """`check chip own U1 impossible`: the verdict on a chip."""
    found = job.assessment().chips.get(PartRef(board, refdes))
    assert found is not None and found.word == " ".join(word), found and found.word


def _rom(job, board, refdes, word, verdict=""):
    """`check rom tw-cpu 6C differs stuck-address`: the verdict on a socket."""
    slot = job.assessment().roms[PartRef(board, refdes)]
    assert slot.word == word and (not verdict or slot.verdict.verdict == verdict), (slot.word, slot.verdict)


def _suspect(job, board, refdes, how, share):
    """`check suspect own U1 above 0.5`: how probable it is that a part is faulty."""
    found = job.assessment().suspect_at(PartRef(board, refdes))
    probability = found.probability if found else 0.0
    assert probability > float(share) if how == "above" else probability < float(share), probability


def _first(job, board, refdes):
    """`check first own U1`: the likeliest suspect."""
    found = [s.place for s in job.assessment().suspects if s.against]
    assert found and found[0] == PartRef(board, refdes), found[:3]


def _order(job, *places):
    """`check order own/C1 own/U1`: the open steps of the plan begin with these places."""
    found = [f"{s.place.board}/{s.place.refdes}" for s in job.assessment().plan.steps if not s.done]
    assert found[: len(places)] == list(places), found


def _step(job, board, refdes, state):
    """`check step own C1 open|done|none`: whether the plan has a step for a part."""
    steps = [s for s in job.assessment().plan.steps if s.place == PartRef(board, refdes)]
    found = "none" if not steps else "done" if all(s.done for s in steps) else "open"
    assert found == state, found


def _capacitor(job, board, refdes, word):
    """`check capacitor own C1 bad`: the verdict on a capacitor."""
    found = job.assessment().capacitors[PartRef(board, refdes)].verdict
    assert found == word.replace("_", " "), found


def _rail(job, board, point, quantity, word):
    """`check rail own F1 resistance bad`: the verdict on a point of a supply."""
    points = job.assessment().rails[board].points
    found = [
        p.verdict
        for p in points
        if (p.point.point, p.point.quantity) == (point.replace("_", " "), quantity.replace("_", " "))
    ]
    assert found == [word.replace("_", " ")], found


def _part(job, board, refdes, *number):
    """`check part own U7 74LS00`: what a part is by now; without a number, that the board has it."""
    assert board in job.boards and job.boards[board].has(refdes)
    assert not number or job.moment.number_at(PartRef(board, refdes)) == " ".join(number)


def _no(job, board, refdes):
    """`check no own U7`: no such part."""
    assert board not in job.boards or not job.boards[board].has(refdes)


def _place(job, place, *board):
    """`check place 5D tw-vid`: what the newest entry is about."""
    entry = live(job)[-1]
    assert entry.place == place and (not board or entry.board == board[0]), entry


def _value(job, quantity, value):
    """`check value capacitance 51e-6`: the newest measurement."""
    entry = next(e for e in reversed(live(job)) if e.kind == "measured")
    assert entry.quantity == quantity.replace("_", " ") and abs(entry.value - float(value)) <= 1e-6 * abs(entry.value)


def _symptom(job, state, board, *text):
    """`check symptom gone own no sound`: present, partly, gone or unknown; `-` for the job."""
    found = job.snapshot.proving.symptoms.get(SymptomKey("" if board == "-" else board, " ".join(text)))
    word = "unknown" if found is None else "partly" if found.partly else "present" if found.present else "gone"
    assert word == state, word


def _starts(job, clean, failed):
    """`check starts 3 1`: clean and failed starts since the last change."""
    tally = job.assessment().proof.starts
    assert (tally.clean, tally.failed) == (int(clean), int(failed)), tally


def _item(job, status, *name):
    """`check item passed keyboard`: an item of the checklist."""
    found = {i.name: i.status for i in job.assessment().proof.items}
    assert found.get(" ".join(name)) == status.replace("_", " "), found


def _untested(job, *name):
    """`check untested sound`: listed as not tested."""
    assert " ".join(name) in dict(job.assessment().proof.not_tested), job.assessment().proof.not_tested


def _joined(job, board, first, second):
    """`check joined own U1.3 U2.1`: two pins are on one net."""
    nets = [{f"{r}.{p}" for r, p in pins} for _, pins in job.boards[board].nets]
    assert any({first, second} <= pins for pins in nets), nets


def _report(job, *words):
    """`check report U7 4066`: a row or line of the report has all of these words."""
    model = build_report(job.assessment(), job.entries, job.env.clock(), job.store.head(job.id))
    lines = [line for section in model.sections for line in (*section.lines, *(" ".join(row) for row in section.table))]
    assert any(all(word in line for word in words) for line in lines), "\n".join(lines)


def _unreported(job, *words):
    """`check unreported put right`: no line of the report has all of these words."""
    model = build_report(job.assessment(), job.entries, job.env.clock(), job.store.head(job.id))
    lines = [line for section in model.sections for line in (*section.lines, *(" ".join(row) for row in section.table))]
    assert not any(all(word in line for word in words) for line in lines), "\n".join(lines)


def _evidence(job, board, refdes, kind):
    """`check evidence own U7 code-persists`: there is such a line about a part."""
    found = job.assessment().suspect_at(PartRef(board, refdes))
    assert found and kind in {line.kind for line in found.evidence}, found and [line.kind for line in found.evidence]


def _data(job, board, line, kind):
    """`check data own 2 stuck`: the likeliest fault of a data bus."""
    fault = bit_verdicts(job.moment)[board].likeliest
    assert (fault.kind, fault.lines[:1]) == (kind, (int(line),)), fault


def _spare(job, *name):
    """`check spare spare 1`: that spare is probably bad."""
    assert " ".join(name) in bad_spares(job.moment), bad_spares(job.moment)


def _conflicts(job, board, *places):
    """`check conflicts own U3`: the parts about which sources disagree."""
    found = conflicts_of(job.moment, job.boards[board], job.defined.get(board))
    assert [c.place.refdes for c in found] == list(places), found


def _next(job, *words):
    """`check next exchange U7`: one of the next things has all of these words."""
    texts = [str(thing.text) for thing in job.assessment().next]
    assert any(all(word in text for word in words) for text in texts), texts


def _buy(job, *needs):
    """`check buy 5A 8A`: what has to be bought."""
    found = [need.number.replace(" ", "_") for need in job.assessment().plan.parts]
    assert found == list(needs), found


def _parts(job, board, number):
    """`check parts own 40`: so many parts."""
    assert len(job.boards[board].parts) == int(number), len(job.boards[board].parts)


def _sockets(job, board, number):
    """`check sockets own 6`: so many ROM sockets with number and address."""
    slots = [s for s in job.boards[board].rom_slots if s.number is not None and s.address is not None]
    assert len(slots) == int(number), slots


def _actions(job, most):
    """`check actions 90`: no more lines or clicks than that so far."""
    found = sum(1 for e in live(job) if not e.part_of) - 1
    assert found <= int(most), found


def _proved(job):
    """`check proved`: everything on the checklist is passed, and there is something on it."""
    items = job.assessment().proof.items
    assert items and all(item.status == "passed" for item in items), [(i.name, i.status) for i in items]


def _unproved(job, *names):
    """`check unproved U7_replaced`: these items, and no others, are not passed."""
    found = [i.name.replace(" ", "_") for i in job.assessment().proof.items if i.status != "passed"]
    assert found == list(names), found


def _reopened(job):
    """`check reopened`: a freshly opened job shows the same."""
    again = OpenJob(job.store, job.id)
    assert again.snapshot == job.snapshot and again.boards == job.boards
    before, after = job.assessment(), again.assessment()
    assert before.suspects == after.suspects and before.plan == after.plan and before.proof == after.proof
    assert {p: s.word for p, s in before.roms.items()} == {p: s.word for p, s in after.roms.items()}
    assert {p: v.word for p, v in before.chips.items()} == {p: v.word for p, v in after.chips.items()}


CHECKS = {
    name.lstrip("_"): check for name, check in list(globals().items()) if name.startswith("_") and callable(check)
}
