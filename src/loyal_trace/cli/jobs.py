"""The job commands, on the same store as the window."""

import argparse
from pathlib import Path
from typing import Any

from loyal_trace.app.job import OpenJob, find_job, import_archive, open_new_job
from loyal_trace.cli.main import default_store
from loyal_trace.cli.output import print_json, print_table
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.units import count_of, format_percent
from loyal_trace.formats.archive import read_archive, write_archive
from loyal_trace.report.model import build_report
from loyal_trace.report.write import write_report
from loyal_trace.store.connection import DATABASE
from loyal_trace.store.store import Store


def _folder(options: argparse.Namespace) -> Path:
    return options.store or default_store()


def _to_write(options: argparse.Namespace) -> Store:
    return Store(_folder(options))


def _to_read(options: argparse.Namespace) -> Store:
    """Opens for reading beside a window that may be writing."""
    folder = _folder(options)
    if not (folder / DATABASE).exists():
        raise RequestError(f"{folder}: there is no store here yet (make a job with `loyal-trace job new`)")
    return Store(folder, read_only=True)


def job_new(options: argparse.Namespace) -> int:
    """Opens a job and prints its id."""
    if not options.title.strip():
        raise RequestError("a job needs a title")
    with _to_write(options) as store:
        job = open_new_job(store, options.title, options.board, options.owner, options.complaint)
    print_json({"job": job, "title": options.title}) if options.json else print(job)
    return 0


def job_list(options: argparse.Namespace) -> int:
    """All jobs, newest first."""
    with _to_read(options) as store:
        jobs = store.jobs()
    if options.json:
        rows = [{"job": j.id, "title": j.title, "opened": j.opened, "entries": j.entries} for j in jobs]
        print_json({"jobs": rows})
    elif jobs:
        print_table([(j.id, j.opened[:10], count_of(j.entries, "entry", "entries"), j.title) for j in jobs])
    else:
        print("no jobs yet")
    return 0


def job_show(options: argparse.Namespace) -> int:
    """Where a job stands: ROMs, suspects, plan, proof."""
    with _to_read(options) as store:
        document = _standing(OpenJob(store, find_job(store, options.job)))
    if options.json:
        print_json(document)
        return 0
    print(f"{document['title']} ({document['job']}), {count_of(document['entries'], 'entry', 'entries')}")
    for rom in document["roms"]:
        print(f"  ROM {rom['board']} {rom['slot']}: {rom['verdict']} {rom['reason']}".rstrip())
    for suspect in document["suspects"][:8]:
        place = f"{suspect['board']} {suspect['part']}"
        print(f"  suspect {place}: {format_percent(suspect['belief'])}, {suspect['why']}")
    for text in document["next"]:
        print(f"  next: {text}")
    return 0


def _standing(session: OpenJob) -> dict[str, Any]:
    found = session.assessment()
    return {
        "job": session.id,
        "title": session.title,
        "boards": [board.title for board in session.boards.values()],
        "entries": len(session.entries),
        "firmware": found.firmware,
        "roms": [
            {"board": b, "slot": r, "verdict": s.word, "reason": s.verdict.reason if s.verdict else ""}
            for (b, r), s in found.roms.items()
        ],
        "suspects": [
            {"board": s.place[0], "part": s.place[1], "belief": s.belief, "prior": s.prior,
             "why": s.against[0].text if s.against else ""}
            for s in found.suspects if s.against
        ],
        "next": [thing.text for thing in found.next],
        "plan": [{"step": s.id, "what": s.what, "done": s.done, "minutes": s.minutes} for s in found.plan.steps],
        "not_tested": [{"item": item, "reason": reason} for item, reason in found.proof.not_tested],
    }  # fmt: skip


def job_export(options: argparse.Namespace) -> int:
    """Writes one job as an archive."""
    with _to_read(options) as store:
        archive = store.export(find_job(store, options.job))
    write_archive(archive, options.file)
    size = options.file.stat().st_size
    document = {"job": options.job, "file": str(options.file), "bytes": size, "entries": len(archive.entries)}
    print_json(document) if options.json else print(f"{options.file}: {size:,} bytes")
    return 0


def job_import(options: argparse.Namespace) -> int:
    """Takes in an archive; a job of the same id gets a new one."""
    archive = read_archive(options.archive)
    with _to_write(options) as store:
        job = import_archive(store, archive)
    print_json({"job": job, "entries": len(archive.entries)}) if options.json else print(job)
    return 0


def job_report(options: argparse.Namespace) -> int:
    """Writes the report as PDF or HTML, by the ending of the file name."""
    with _to_read(options) as store:
        job = OpenJob(store, find_job(store, options.job))
        model = build_report(job.assessment(), job.entries, job.env.clock(), store.head(job.id))
        size = write_report(model, options.file)
    document = {"job": options.job, "file": str(options.file), "bytes": size}
    print_json(document) if options.json else print(f"{options.file}: {size:,} bytes")
    return 0
