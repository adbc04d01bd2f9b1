"""Logs that come into the book from the window: read in the background, asked about once, added as one change."""

from collections.abc import Callable, Sequence
from contextlib import ExitStack
from functools import partial
from pathlib import Path

from PyQt6.QtCore import QObject

from pinch.bench.book import Book
from pinch.core.errors import PinchError
from pinch.core.printing import counted
from pinch.core.progress import Progress
from pinch.intake.arrivals import (
    Arrival,
    Batch,
    NewRuns,
    add_arrivals,
    as_read,
    files_in,
    read_again,
    read_batch,
)
from pinch.intake.completing import Completion
from pinch.intake.shelf import known_names
from pinch.intake.table_roles import RoleMapping, guess_roles, key_of
from pinch.intake.told_results import Taken, add_told
from pinch.language import tr
from pinch.sources.archive import opened
from pinch.sources.logs.memory import recall, remember
from pinch.sources.sheets import Sheet
from pinch.ui.background import Job
from pinch.ui.logs.scores_dialog import ScoresDialog
from pinch.ui.logs.summary import SummaryDialog
from pinch.ui.logs.view import ArrivalsDialog
from pinch.ui.page_protocol import Shell
from pinch.ui.slow_change import SlowChange


class LogImport(QObject):
    """One batch at a time; closing the notice of its progress ends it: while it is read nothing is added, later what
    was added stays, and `go_on` adds the rest."""

    def __init__(self, shell: Shell) -> None:
        super().__init__(shell.dialog_parent)
        self._shell = shell
        self.job: Job | None = None
        self.adding = SlowChange(shell)
        self.summary: SummaryDialog | None = None
        self._left: Callable[[], None] | None = None
        self._unpacked = ExitStack()
        shell.notices.closed.connect(self.cancel)

    def begin(self, paths: Sequence[Path]) -> None:
        """Read logs, folders and archives of them, then ask where they belong and what cannot be known, then add
        them."""
        self.cancel()

        def work(progress: Progress) -> Batch:
            there = self._unpacked.enter_context(opened(paths))
            return read_batch(files_in(there), None, progress)

        self._start(work, self._ask)

    def ask_scores(self, sheet: Sheet) -> None:
        """Ask what the columns of a table of results say, then add what its rows tell, as one change."""
        key, session = key_of(sheet), self._shell.session
        roles = recall(key, RoleMapping) or guess_roles(sheet, known_names(session.book))
        dialog = ScoresDialog(sheet, roles, session.book, self._shell.dialog_parent)
        if not dialog.exec():
            return
        remember(key, dialog.roles)
        name, table = Path(sheet.place).name, dialog.table_told

        def work(book: Book, progress: Progress) -> Taken:
            return add_told(book, table.rows, name, progress)

        def then(done: Taken) -> None:
            kept = (*done.added, *done.replaced)
            if kept:
                session.choose(kept[-1].device_id, kept[-1].setting_id, kept[-1].workload_id, None)
            self._tell(done.words, done.lines, (*table.problems, *done.problems))

        self.adding.begin(tr("Adding results"), tr("add results of {name}", name=name), work, then)

    def go_on(self) -> None:
        """Add the logs that were left when an import was ended.

        Raises
        ------
        PinchError : there are none.
        """
        if self._left is None:
            raise PinchError(tr("No import was ended before it was done."))
        self._left()

    def forget(self) -> None:
        """Another book is open: nothing is left for it."""
        self._left = None

    def cancel(self) -> None:
        """Let go of what is being read."""
        if self.job is not None:
            self.job.cancel()
            self.job = None
        self._unpacked.close()

    def add(
        self,
        arrivals: Sequence[Arrival],
        refused: Sequence[str],
        choose: bool = True,
        said: Completion | None = None,
        after: Callable[[], object] | None = None,
    ) -> None:
        """Runs of logs with what is said of all of them, as one change; with `choose` the last one is looked at. Says
        what went where, then does what comes `after`.

        Raises
        ------
        PinchError : something else is still being added.
        """
        name = arrivals[0].path.name if len(arrivals) == 1 else tr("{arrivals} logs", arrivals=len(arrivals))

        def work(book: Book, progress: Progress) -> NewRuns:
            return add_arrivals(book, arrivals, said, progress)

        def then(found: NewRuns) -> None:
            again = partial(self.add, found.left, (), choose, said, after)
            self._left = again if found.left else None
            self._added(found, refused, choose)
            if after is not None:
                after()

        self.adding.begin(tr("Adding runs"), tr("add {name}", name=name), work, then)

    def _added(self, found: NewRuns, refused: Sequence[str], choose: bool) -> None:
        added, refused = found.added, (*refused, *found.skipped, *found.problems)
        left = counted(len(found.left), "log is left", "logs are left")
        rest = tr("{left}: Add, Go on with the logs that were left", left=left) if found.left else ""
        if not added:
            self._tell(rest or tr("Nothing is new"), (), refused)
            return
        if choose:
            self._shell.session.choose_run(added[-1].run.id)
        runs = counted(len(added), "run is", "runs are")
        pairs = [a for a in added if a.arrival.pair]
        words = ". ".join(filter(None, (rest, tr("{runs} in the book", runs=runs))))
        self._tell(words, [a.words for a in added], refused, always=bool(pairs))

    def _tell(self, words: str, added: Sequence[str], refused: Sequence[str], always: bool = False) -> None:
        """What went where, in a list where it is more than a line."""
        if added:
            words = tr(
                "{what}; Ctrl+Z takes {them} back.",
                what=words.rstrip("."),
                them=tr("it") if len(added) == 1 else tr("them"),
            )
        self._shell.notices.done(words)
        if len(added) > 1 or refused or always:
            self.summary = SummaryDialog(words, added, refused, self._shell.dialog_parent)
            self.summary.open()

    def _start(self, work: Callable[[Progress], Batch], then: Callable[[Batch], None]) -> None:
        self.job = Job(tr("Reading logs"), work, self)
        self.job.progressed.connect(
            lambda share: self._shell.notices.done(
                tr("Reading logs, {share:.0f} %. Close this to end it.", share=100 * share)
            )
        )
        self.job.finished.connect(lambda batch: self._shell.safely(lambda: self._then(batch, then)))
        self.job.failed.connect(self._shell.notices.error)
        self.job.start()

    def _then(self, batch: Batch, then: Callable[[Batch], None]) -> None:
        self.job = None
        self._shell.notices.hide()
        then(batch)

    def _ask(self, batch: Batch) -> None:
        if not batch.read:
            raise PinchError(" ".join(batch.refused) or tr("Nothing was read."))
        dialog = ArrivalsDialog(batch, self._shell.session.book, self._shell.dialog_parent)
        if not dialog.exec():
            self._unpacked.close()
            return
        answers, said = dialog.mappings, dialog.said
        for key, mapping in answers.items():
            remember(key, mapping)
        if answers:
            self._start(
                lambda progress: read_again(batch, answers, progress),
                lambda again: self._add(dialog.arrivals, again, said),
            )
        else:
            self._add(dialog.arrivals, batch, said)

    def _add(self, arrivals: Sequence[Arrival], batch: Batch, said: Completion) -> None:
        there = [a for meant in arrivals if (a := as_read(meant, batch)) is not None]
        if not there:
            raise PinchError(" ".join(batch.refused) or tr("Nothing was read."))
        self._unpacked.close()
        self.add(there, batch.refused, said=said)
