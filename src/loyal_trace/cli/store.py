"""The store commands, and what becomes of jobs: archived, hidden, deleted, opened again."""

import argparse

from loyal_trace.app.backups import Backups, backup_place
from loyal_trace.app.job import find_job, utc_now
from loyal_trace.app.store_care import Trouble, check_store, salvage, told
from loyal_trace.cli.output import print_json, tell
from loyal_trace.cli.parsing import store_of
from loyal_trace.core.vocabulary.errors import RequestError
from loyal_trace.core.vocabulary.phrases import say
from loyal_trace.core.vocabulary.units import count_of
from loyal_trace.store.backup import back_up
from loyal_trace.store.states import ARCHIVED, DELETED, HIDDEN, KEPT_FOR, OPEN
from loyal_trace.store.store import Store

_STATES = {"archive": ARCHIVED, "hide": HIDDEN, "delete": DELETED, "reopen": OPEN}


def _listed(troubles: tuple[Trouble, ...]) -> list[dict[str, str]]:
    return [{"place": one.place, "what": one.what} for one in troubles]


def store_check(options: argparse.Namespace) -> int:
    """Every byte against its hash; 1 and a list where something is missing or changed."""
    with Store(store_of(options), read_only=True) as store:
        troubles = check_store(store, backup_place(store.folder))
        jobs, entries = len(store.jobs()), sum(job.entries for job in store.jobs())
    if options.json:
        print_json({"whole": not troubles, "jobs": jobs, "entries": entries, "troubles": _listed(troubles)})
    elif troubles:
        tell(told(troubles))
    else:
        tell(
            say(
                "{jobs}, {entries}: every line, attachment, board and list is as it was written.",
                jobs=count_of(jobs, "job"),
                entries=count_of(entries, "entry", "entries"),
            )
        )
    return 1 if troubles else 0


def store_salvage(options: argparse.Namespace) -> int:
    """Reads around damage into a new store; 1 when something is missing there."""
    saved, missing = salvage(store_of(options), options.out)
    if options.json:
        print_json({"store": str(options.out), "jobs": saved, "missing": _listed(missing)})
    else:
        total = count_of(sum(saved.values()), "entry", "entries")
        tell(say("{jobs}, {entries} saved in {out}.", jobs=count_of(len(saved), "job"), entries=total, out=options.out))
        if missing:
            tell(told(missing))
    return 1 if missing else 0


def store_backup(options: argparse.Namespace) -> int:
    """A copy of the store that opens as a store: in OUT, else among the rotating ones."""
    with Store(store_of(options), read_only=True) as store:
        if options.out is not None:
            made = back_up(store, options.out)
        else:
            keeper = Backups(store, utc_now)
            found = keeper.make()
            if found is None:
                raise RequestError(keeper.failed)
            made = found
    print_json({"backup": str(made)}) if options.json else tell(str(made))
    return 0


def _job_state(options: argparse.Namespace) -> int:
    """Archives, hides, deletes or opens a job again. Deleting wants the title, and can be undone for thirty days."""
    with Store(store_of(options)) as store:
        job = find_job(store, options.job)
        title = next(summary.title for summary in store.jobs() if summary.id == job)
        if options.action == "delete" and options.title != title:
            raise RequestError(say("to delete it, confirm with --title “{title}”; nothing was changed", title=title))
        state = _STATES[options.action]
        store.set_state(job, state, utc_now())
    words = {
        ARCHIVED: say("{title} is archived: `job list --all` shows it.", title=title),
        HIDDEN: say("{title} is hidden: `job list --all` shows it.", title=title),
        DELETED: say(
            "{title} is deleted. For {days} days `job reopen` brings it back.", title=title, days=KEPT_FOR.days
        ),
        OPEN: say("{title} is open.", title=title),
    }
    print_json({"job": job, "state": state}) if options.json else tell(words[state])
    return 0


job_archive = job_hide = job_delete = job_reopen = _job_state
