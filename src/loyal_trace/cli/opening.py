"""Opening a store, or a job of it, for a command."""

import argparse
from collections.abc import Iterator
from contextlib import contextmanager

from loyal_trace.app.backups import Backups
from loyal_trace.app.job import OpenJob, find_job, utc_now
from loyal_trace.cli.output import tell
from loyal_trace.cli.parsing import store_of
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.phrases import say
from loyal_trace.store.connection import DATABASE
from loyal_trace.store.store import Store


def store_to_write(options: argparse.Namespace) -> Store:
    return Store(store_of(options))


def store_to_read(options: argparse.Namespace) -> Store:
    """Opens for reading beside a window that may be writing."""
    folder = store_of(options)
    if not (folder / DATABASE).exists():
        raise RequestError(
            say("{folder}: there is no store here yet; open a job with `loyal-trace job new`", folder=folder)
        )
    return Store(folder, read_only=True)


@contextmanager
def opened_job(options: argparse.Namespace, store: Store) -> Iterator[OpenJob]:
    """The job that was named, open; what could not be read of the workshop goes to stderr."""
    with store:
        job = OpenJob(store, find_job(store, options.job))
        for warning in job.workshop.warnings:
            tell(say("loyal-trace: {warning}", warning=warning), error=True)
        yield job
        job.keep_checkpoint()
        keeper = Backups(store, utc_now)
        if keeper.due(store) and keeper.make() is None:
            tell(say("loyal-trace: {warning}", warning=keeper.failed), error=True)
