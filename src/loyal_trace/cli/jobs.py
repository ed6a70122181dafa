"""The job commands, on the same store as the window."""

import argparse
import os
import re
import sys
from collections.abc import Iterator, Mapping
from datetime import datetime
from pathlib import Path
from typing import Any

from loyal_trace.app.board_saving import board_folder_named
from loyal_trace.app.cautions import caution_texts
from loyal_trace.app.commands import LineResult, Tally, enter_line, setting_at
from loyal_trace.app.dictionaries import cache_folder
from loyal_trace.app.importers import Meant, import_files, place_words
from loyal_trace.app.job import OpenJob, open_new_job
from loyal_trace.app.job_dictionaries import JobDictionaries
from loyal_trace.app.rehearsal import Rehearsal
from loyal_trace.app.traces import compared, open_trace
from loyal_trace.cli.compared import comparison_document, extras_document, print_comparison, print_extras
from loyal_trace.cli.opening import opened_job, store_to_read, store_to_write
from loyal_trace.cli.output import print_json, print_table, tell
from loyal_trace.core.assess.compare import sundries_of
from loyal_trace.core.assess.next_thing import NextThing
from loyal_trace.core.assess.roms import shared_line_faults
from loyal_trace.core.assess.suspects import Suspect
from loyal_trace.core.job.entries import TraceCompared, describe
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.identity import PartRef
from loyal_trace.core.vocabulary.phrases import say, term
from loyal_trace.core.vocabulary.stages import stage_of_word
from loyal_trace.core.vocabulary.units import count_of, format_percent
from loyal_trace.formats.part_table import board_from_table, guess_columns
from loyal_trace.formats.rom_files import read_file
from loyal_trace.formats.tables import read_table
from loyal_trace.report.times import local_time
from loyal_trace.resources import chip_library
from loyal_trace.store.states import OPEN, JobState


def job_new(options: argparse.Namespace) -> int:
    """Opens a job and prints its id."""
    if not options.title.strip():
        raise RequestError(say("a job needs a title"))
    listed = [_board_of_list(path) for path in options.parts]
    with store_to_write(options) as store:
        boards = [board_folder_named(store.folder, path) for path in options.board]
        job = open_new_job(store, options.title, boards, options.owner, options.complaint, listed=listed)
    print_json({"job": job, "title": options.title}) if options.json else tell(job)
    return 0


def _board_of_list(path: Path) -> Mapping[str, bytes]:
    """A board made from a parts list, its columns guessed by their titles and contents."""
    table = read_table(read_file(path), path.name)
    board_id = re.sub(r"[^a-z0-9]+", "-", path.stem.lower()).strip("-") or "board"
    return board_from_table(table, guess_columns(table), board_id, path.stem, chip_library())


def job_list(options: argparse.Namespace) -> int:
    """All jobs, newest first."""
    with store_to_read(options) as store:
        states = store.states()
        jobs = [job for job in store.jobs() if options.all or job.id not in states]
    if options.json:
        rows = [
            {"job": j.id, "title": j.title, "opened": j.opened, "entries": j.entries, "state": _state(states, j.id)}
            for j in jobs
        ]
        print_json({"jobs": rows})
    elif jobs:
        marks = {j.id: f" [{term(_state(states, j.id))}]" if j.id in states else "" for j in jobs}
        print_table(
            [(j.id, _when(j.opened), count_of(j.entries, "entry", "entries"), j.title + marks[j.id]) for j in jobs]
        )
    else:
        tell(say("no jobs yet"))
    return 0


def _state(states: Mapping[str, JobState], job: str) -> str:
    return states[job].state if job in states else OPEN


def _when(opened: str) -> str:
    try:
        return local_time(datetime.fromisoformat(opened))
    except ValueError:
        return opened[:10]


def job_show(options: argparse.Namespace) -> int:
    """Where a job stands: ROMs, suspects, plan, proof."""
    with opened_job(options, store_to_read(options)) as job:
        document = _standing(job)
    if options.json:
        print_json(document)
        return 0
    tell(
        say(
            "{document} ({document2}), {entrys}",
            document=document["title"],
            document2=document["job"],
            entrys=count_of(document["entries"], "entry", "entries"),
        )
    )
    for rom in document["roms"]:
        tell(
            say(
                "  ROM {rom} {rom2}: {rom3} {rom4}",
                rom=rom["board"],
                rom2=rom["place"],
                rom3=rom["verdict"],
                rom4=rom["reason"],
            ).rstrip()
        )
    for words in document["rom_lines"]:
        tell(say("  ROMs: {words}", words=words))
    print_suspects(document)
    return 0


def _standing(job: OpenJob) -> dict[str, Any]:
    found, planned = job.assessment(), _plan(job)
    return {
        "job": job.id,
        "title": job.title,
        "boards": [{"board": b, "title": board.title, "parts": len(board.parts)} for b, board in job.boards.items()],
        "entries": len(job.entries),
        "firmware": found.firmware,
        "roms": [
            {
                "board": p.board,
                "place": p.refdes,
                "slot": p.refdes,
                "verdict": s.word.value,
                "reads": s.reads,
                "reason": s.verdict.reason if s.verdict else "",
            }
            for p, s in found.roms.items()
        ],
        "rom_lines": [one.words for b in job.boards for one in shared_line_faults(found.moment, b)],
        "rails": [
            {"board": b, "point": p.point.point, "quantity": p.point.quantity, "verdict": p.verdict, "shown": p.shown}
            for b, report in found.rails.items()
            for p in report.points
        ],
        "chips": [{"board": p.board, "place": p.refdes, "verdict": v.word} for p, v in found.chips.items()],
        "symptoms": [
            {"board": k.board, "text": k.text, "present": s.present, "partly": s.partly}
            for k, s in job.snapshot.proving.symptoms.items()
        ],
        **suspects_document(job),
        "plan": planned["steps"],
        "parts": planned["parts"],
        **_proof(job),
    }


def job_trace(options: argparse.Namespace) -> int:
    """Holds a trace against the model of a chip and records what it shows: 1 when an output differs."""
    if options.skew < 0:
        raise RequestError(say("skew is a number of samples, 0 or more"))
    with opened_job(options, store_to_write(options)) as job:
        boards = [options.board] if options.board else [b for b, d in job.boards.items() if d.has(options.at)]
        if len(boards) != 1 or not job.boards.get(boards[0]) or not job.boards[boards[0]].has(options.at):
            raise RequestError(say("say with --at PLACE, and --board B, which chip the trace is of"))
        opened = open_trace(job, PartRef(boards[0], options.at), options.file, " ".join(options.map))
        entry = job.record(TraceCompared, **compared(job, opened, options.skew))
        reasons = [difference.reason for difference in entry.differences]
    if options.json:
        print_json({"place": entry.place, "channels": dict(entry.channels), "differences": reasons})
    else:
        tell(say("Recorded: {words}.", words=describe(entry)))
    return 1 if reasons else 0


def job_suspects(options: argparse.Namespace) -> int:
    """The suspects with their evidence, and what is worth doing next."""
    with opened_job(options, store_to_read(options)) as job:
        complete_dictionaries(job)
        document = suspects_document(job)
    if options.json:
        print_json(document)
    else:
        print_suspects(document)
    return 0


def complete_dictionaries(job: OpenJob) -> None:
    """What readings in free run need; that it takes a while is said aside."""

    def begun(board: str) -> None:
        if sys.stderr.isatty():  # a script is not told
            tell(say("Computing what every fault of {board} would show in free run …", board=board), error=True)

    JobDictionaries(job, cache_folder()).complete(os.cpu_count() or 1, begun)


def print_suspects(document: Mapping[str, Any]) -> None:
    for one in document["suspects"][:8]:
        why = say(", {one}", one=one["against"][0]) if one["against"] else ""
        tell(
            say(
                "  suspect {one} {one2}: {one3}{why}",
                one=one["board"],
                one2=one["place"],
                one3=format_percent(one["probability"]),
                why=why,
            )
        )
    for thing in document["next"]:
        tell(say("  next: {thing}", thing=thing["does"]))


def suspects_document(job: OpenJob) -> dict[str, Any]:
    found = job.assessment()
    return {
        "suspects": [_suspect(s) for s in found.suspects if s.against],
        "next": [_next(thing) for thing in found.next],
    }


def _suspect(one: Suspect) -> dict[str, Any]:
    return {
        "board": one.place.board,
        "place": one.place.refdes,
        "probability": one.probability,
        "prior": one.prior,
        "for": [line.text for line in one.in_favour],
        "against": [line.text for line in one.against],
    }


def _next(thing: NextThing) -> dict[str, Any]:
    return {
        "does": thing.text,
        "board": thing.place.board,
        "place": thing.place.refdes,
        "stage": thing.stage.word,
        "gain_bits": thing.bits,
        "minutes": thing.minutes,
        "risk": thing.risk,
    }


def job_plan(options: argparse.Namespace) -> int:
    """The steps of the repair, in order, and the parts that they need."""
    with opened_job(options, store_to_read(options)) as job:
        document = _plan(job)
        if options.compare:
            document |= comparison_document(job)
        document |= extras_document(job)
    if options.json:
        print_json(document)
        return 0
    for step in document["steps"]:
        state = (
            "skipped" if step["skipped"] else "done" if step["done"] else say("{step:.0f} min", step=step["minutes"])
        )
        tell(
            say(
                "  {step} {step2}: {step3} ({state})",
                step=step["board"],
                step2=step["place"],
                step3=step["what"],
                state=state,
            )
        )
    for part in document["parts"]:
        tell(
            say(
                "  part {part}: {part2} needed, {part3} in the drawer",
                part=part["number"],
                part2=part["needed"],
                part3=part["in_drawer"],
            )
        )
    print_extras(document)
    if options.compare:
        print_comparison(document)
    return 0


def _plan(job: OpenJob) -> dict[str, Any]:
    plan = job.assessment().plan
    return {
        "order": plan.order,
        "steps": [
            {
                "step": s.id,
                "kind": s.kind,
                "board": s.place.board,
                "place": s.place.refdes,
                "what": s.what,
                "reason": s.reason,
                "minutes": s.minutes,
                "part": s.part_number,
                "from": s.from_drawer,
                "done": s.done,
                "skipped": s.skipped,
                "before": list(s.before),
                "cautions": [caution_texts()[caution].text for caution in s.cautions],
            }
            for s in plan.steps
        ],
        "parts": [
            {
                "number": p.number,
                "needed": p.needed,
                "in_drawer": p.in_drawer,
                "to_order": p.to_order,
                "places": list(p.places),
            }
            for p in plan.parts
        ],
        "sundries": [{"what": s.what, "count": s.count, "places": list(s.places)} for s in sundries_of(job.moment)],
    }


def job_proof(options: argparse.Namespace) -> int:
    """What the starts prove, the checks, and what was not tested."""
    with opened_job(options, store_to_read(options)) as job:
        document = _proof(job)
    if options.json:
        print_json(document)
        return 0
    starts = document["starts"]
    tell(
        say(
            "  {starts} clean, {starts2} failed since the last change", starts=starts["clean"], starts2=starts["failed"]
        )
    )
    for check in document["checks"]:
        tell(
            say("  {check}: {check2}", check=check["item"], check2=check["status"])
            + (say(", {check}", check=check["note"]) if check["note"] else "")
        )
    for left in document["not_tested"]:
        tell(say("  not tested: {left}, {left2}", left=left["item"], left2=left["reason"]))
    return 0


def _proof(job: OpenJob) -> dict[str, Any]:
    proof = job.assessment().proof
    tally = proof.starts
    return {
        "starts": {
            "clean": tally.clean,
            "failed": tally.failed,
            "clean_before": tally.clean_before,
            "failed_before": tally.failed_before,
            "still_needed": tally.still_needed,
            "failure_rate_upper": tally.upper if tally.clean else None,
            "off_seconds": [start.off_seconds for start in job.snapshot.proving.starts],
        },
        "checks": [
            {"board": i.board, "item": i.name, "how": i.how, "status": i.status, "note": i.note} for i in proof.items
        ],
        "not_tested": [{"item": item, "reason": reason} for item, reason in proof.not_tested],
    }


def job_enter(options: argparse.Namespace) -> int:
    """Records lines as the window would; the worst of them decides the exit code."""
    lines = list(_lines(options.lines))
    store = store_to_read(options) if options.dry_run else store_to_write(options)
    with opened_job(options, store) as job:
        if options.dry_run:
            job.store = Rehearsal(store)
        stage = stage_of_word(options.stage) if options.stage else None
        tally = Tally()
        for line in lines:
            result = enter_line(job, line, setting_at(job, stage, options.board, options.at))
            tally.lines.append(result)
            for caution in result.cautions:
                tell(say("loyal-trace: {caution}", caution=caution), error=True)
    if options.json:
        print_json({"lines": [result.document for result in tally.lines]})
    else:
        for result in tally.lines:
            _print_line(result)
    return tally.exit_code


def _lines(given: list[str]) -> Iterator[str]:
    """The lines given, without comments and empty ones; `-` stands for those of standard input."""
    for line in given:
        for text in sys.stdin if line == "-" else (line,):
            if text.strip() and not text.startswith("#"):
                yield text.strip()


def _print_line(result: LineResult) -> None:
    where = say(" [{board} {place}]", board=result.board, place=result.place) if result.place else ""
    words = (
        result.says
        if not result.why
        else say("{says} ({why})", says=result.says, why=result.why)
        if result.says
        else result.why
    )
    tell(say("{status_value}{where}: {words}", status_value=result.status.value, where=where, words=words))
    for choice in result.choices:
        tell(say("  {choice}", choice=choice))


def job_add(options: argparse.Namespace) -> int:
    """Imports files as dropping them on the window does; 1 when one was left out."""
    with opened_job(options, store_to_write(options)) as job:
        setting = setting_at(job, None, options.board, options.at)
        found = import_files(job, options.paths, Meant(setting.board, setting.in_view, setting.picked))
        left = [
            {"name": one.name, "reason": one.reason, "choices": [place_words(job.boards, p) for p in one.choices]}
            for one in found.left_out
        ]
    if options.json:
        entries = [entry.model_dump(mode="json", exclude={"previous", "v", "lines"}) for entry in found.entries]
        print_json({"imported": found.done, "entries": entries, "not_imported": left})
    else:
        for words in found.done:
            tell(words)
        for one in left:
            tell(say("{one} was not imported: {one2}", one=one["name"], one2=one["reason"]))
    return 1 if left else 0
