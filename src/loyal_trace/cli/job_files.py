"""Jobs and files: archives, boards of jobs, reports."""

import argparse

from loyal_trace.app.board_saving import save_board
from loyal_trace.app.job import find_job, import_archive
from loyal_trace.cli.opening import opened_job, store_to_read, store_to_write
from loyal_trace.cli.output import print_json, tell
from loyal_trace.core.vocabulary.phrases import say
from loyal_trace.formats.archive import read_archive, write_archive
from loyal_trace.report.model import build_report
from loyal_trace.report.pictures import pictures_of
from loyal_trace.report.write import write_report


def job_export(options: argparse.Namespace) -> int:
    """Writes one job as an archive."""
    with store_to_read(options) as store:
        archive = store.export(find_job(store, options.job))
    write_archive(archive, options.file)
    size = options.file.stat().st_size
    document = {
        "job": archive.job_id,
        "file": str(options.file),
        "bytes": size,
        "entries": len(archive.lines),
        "head": archive.head,
        "damage": archive.damage.words,
    }
    print_json(document) if options.json else tell(say("{file}: {size:,} bytes", file=options.file, size=size))
    if archive.damage.words and not options.json:
        tell(say("not whole: {damage}", damage=archive.damage.words))
    return 1 if archive.damage.words else 0


def job_import(options: argparse.Namespace) -> int:
    """Imports an archive; a job whose id is in use gets a new one."""
    archive = read_archive(options.archive)
    with store_to_write(options) as store:
        job = import_archive(store, archive)
    print_json({"job": job, "entries": len(archive.lines)}) if options.json else tell(job)
    return 0


def job_save_board(options: argparse.Namespace) -> int:
    """Saves a board of the job as a folder, with what was learnt and without the owner's data."""
    with opened_job(options, store_to_read(options)) as job:
        board = options.board or next(iter(job.boards), "")
        folder = save_board(job, board, options.out)
        document = {"job": job.id, "board": board, "folder": str(folder)}
    print_json(document) if options.json else tell(str(folder))
    return 0


def job_report(options: argparse.Namespace) -> int:
    """Writes the report as PDF or HTML, by the ending of the file name."""
    with opened_job(options, store_to_read(options)) as job:
        model = build_report(job.assessment(), job.entries, job.env.clock(), job.store.head(job.id))
        photos = tuple(job.snapshot.seen.photos.values())
        size = write_report(model, options.file, pictures=pictures_of(photos, job.store.attachment))
        document = {"job": job.id, "file": str(options.file), "bytes": size}
    print_json(document) if options.json else tell(say("{file}: {size:,} bytes", file=options.file, size=size))
    return 0
