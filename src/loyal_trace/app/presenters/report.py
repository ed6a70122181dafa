"""Report: what the owner and the next repairer get, as it would be written now."""

import re
from itertools import count
from pathlib import Path

from loyal_trace.app.board_saving import save_board
from loyal_trace.app.presenters.base import StagePresenter
from loyal_trace.app.presenters.model import Action, Meaning, Page, Question
from loyal_trace.core.assess.away import away
from loyal_trace.core.assess.teardown import left_over, still_out
from loyal_trace.core.job.entries import HandedBack
from loyal_trace.core.vocabulary.phrases import joined, say
from loyal_trace.core.vocabulary.stages import Stage
from loyal_trace.core.vocabulary.units import count_of
from loyal_trace.report.model import ReportModel, build_report
from loyal_trace.report.pictures import pictures_of
from loyal_trace.report.write import write_report

PREVIEW = say("report preview")
_HINT = say("{typed}; or a note", typed="good enough: sound stays thin; owner: …; value: 250")


class ReportPresenter(StagePresenter):
    """The report, and the actions that write it."""

    stage = Stage.REPORT

    def model(self) -> ReportModel:
        """The report at this moment."""
        job = self.workspace.job
        return build_report(job.assessment(), job.entries, job.env.clock(), job.store.head(job.id))

    def page(self) -> Page:
        job = self.workspace.job
        untested = len(job.assessment().proof.not_tested)
        written = count_of(len(job.entries), "logbook entry", "logbook entries")
        return Page(
            say("What does the owner get?"),
            say("{written} · {items} not tested", written=written, items=count_of(untested, "item")),
            self._meaning(untested),
            self.target(_HINT),
            self._actions(),
            figures={PREVIEW: self.model()},
        )

    def _actions(self) -> tuple[Action, ...]:
        return (
            Action(
                "P",
                say("Write PDF"),
                lambda: self.write_to(self.file(".pdf")),
                say("Writes it into the report folder"),
                main=True,
            ),
            Action(
                "M",
                say("Write HTML"),
                lambda: self.write_to(self.file(".html")),
                say("Writes it into the report folder"),
            ),
            Action(
                "S",
                say("Save under a name"),
                lambda name: self.write_to(Path(name)),
                say("A .pdf or .html file"),
                asks=Question(say("Save the report"), str(self.file(".pdf")), save=True),
            ),
            Action(
                "D",
                say("Save the board"),
                self.save_board,
                say("As a folder of the workshop, without the owner's data: the next job of its kind begins with it"),
            ),
            Action(
                "J",
                say("Accept as good enough"),
                lambda: self.workspace.line_asked.emit("good enough: "),
                say("Puts the words into the line; type what stays as it is"),
            ),
            Action(
                "A",
                say("Hand the job back"),
                lambda: self.workspace.record(HandedBack),
                say("Records that the job goes to its owner"),
                confirm=self._hand_over_words(),
            ),
        )

    def _hand_over_words(self) -> str:
        """What handing the job back means as it stands."""
        found = self.workspace.job.assessment()
        open_steps = sum(not s.done for s in found.plan.steps)
        left = say(
            "{steps} open, {items} not tested.",
            steps=count_of(open_steps, "step"),
            items=count_of(len(found.proof.not_tested), "item"),
        )
        return say("The hand-over is recorded with the date of today. {left} Ctrl+Z undoes it.", left=left)

    def _meaning(self, untested: int) -> Meaning:
        job, handed_back = self.workspace.job, self.workspace.snapshot.paper.handed_back
        still = (*left_over(job.snapshot), *still_out(job.snapshot), *(a.words for a in away(job.moment)))
        open_steps = sum(not s.done for s in job.assessment().plan.steps)
        if still and not handed_back:
            why = say("Not complete: {fromkeys}.", fromkeys=joined("; ", dict.fromkeys(still))[:230])
            return Meaning(
                why, say("Refit what was taken off (Ctrl+2, Alt+D) and what is stored or borrowed (Ctrl+8)."), "bad"
            )
        if handed_back:
            return Meaning(
                say("Handed back on {time:%Y-%m-%d}.", time=handed_back.time),
                say("Write the report again if needed."),
                "good",
            )
        if open_steps or untested:
            why = say(
                "{steps} open, {items} not tested.",
                steps=count_of(open_steps, "step"),
                items=count_of(untested, "item"),
            )
            return Meaning(why, say("Verify what is left, or accept it as good enough (Alt+J)."), "doubtful")
        proof = job.assessment().proof
        failed = [item.name for item in proof.items if item.status == "failed"]
        if proof.starts.failed or failed:
            told = [*failed, *([count_of(proof.starts.failed, "failed start")] if proof.starts.failed else [])]
            return Meaning(
                say("Failed: {told}.", told=joined(", ", told)),
                say("Return to Suspects (Ctrl+6), or accept it (Alt+J)."),
                "bad",
            )
        if not any(item.status == "passed" for item in proof.items):
            why = say("No check has passed yet, so nothing shows that the board works.")
            return Meaning(why, say("Record checks and starts at Verify (Ctrl+9)."), "doubtful")
        return Meaning(
            say("Every planned step and every listed check is done."), say("Write the report (Alt+P)."), "good"
        )

    def file(self, ending: str) -> Path:
        """Where a report goes by itself: beside the store, under the number of the job."""
        opened = self.workspace.snapshot.opened
        name = _file_name(opened.number if opened else "") or _file_name(self.workspace.job.id) or "report"
        folder = self.workspace.job.store.folder / "reports"
        # A report that was written before stays: the next one gets a number.
        names = (f"{name}{ending}" if n == 1 else f"{name}-{n}{ending}" for n in count(1))
        return next(folder / one for one in names if not (folder / one).exists())

    def save_board(self) -> None:
        """The board in view as a folder of the workshop, with what was learnt."""

        def act() -> list[str]:
            target = save_board(self.workspace.job, self.workspace.board)
            return [say("board saved in {folder}; New job from a board folder offers it", folder=target.name)]

        self.workspace.attempt(act)

    def write_to(self, file: Path) -> None:
        """Writes the report and says where it is."""

        def act() -> list[str]:
            job = self.workspace.job
            pictures = pictures_of(tuple(job.snapshot.seen.photos.values()), job.store.attachment)
            size = write_report(self.model(), file, make_folders=True, pictures=pictures)
            return [say("{file} written ({size:,} bytes)", file=file, size=size)]

        self.workspace.attempt(act)


def _file_name(text: str) -> str:
    """A number as part of a file name: words from an archive never become a path."""
    return re.sub(r"[^\w-]+", "-", text.lower()).strip("-")[:60]
