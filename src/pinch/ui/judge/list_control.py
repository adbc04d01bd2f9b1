"""All runs of the book judged in the background, and the list of them on the Judge page."""

import contextlib
from collections.abc import Mapping, Sequence
from pathlib import Path

from PyQt6.QtCore import QObject

from pinch.bench.digests import Digest
from pinch.bench.opening import open_book
from pinch.bench.records import Device, Run, Setting, Workload
from pinch.core.errors import PinchError
from pinch.core.method import changes_since
from pinch.core.printing import counted
from pinch.language import tr
from pinch.runs.whole_book import Digested, digest_book
from pinch.ui.background import Job
from pinch.ui.judge import facts
from pinch.ui.judge.listing import RunListing, RunRow, run_listing
from pinch.ui.judge.runs_pane import MOST_OVERLAID
from pinch.ui.judge.state import JudgedRun
from pinch.ui.judge.view import OVERLAY, RUNS, JudgeView
from pinch.ui.page_protocol import Shell
from pinch.ui.working import Working

AT_ONCE = 300
"""Runs that are listed while the window waits."""
MOST_MOVED = 100
"""Lines that the margin lists: a book may have tens of thousands."""


class ListWork(Working):
    """The list of a large book, put together beside the window."""

    doing = tr("Listing the runs")


class DigestControl(QObject):
    """`digests` are those of the open book; they are brought up to date while the list is looked at."""

    def __init__(self, shell: Shell, view: JudgeView) -> None:
        super().__init__(view)
        self._shell, self._session, self._view = shell, shell.session, view
        self.digests: dict[int, Digest] = {}
        self.overlaid: tuple[int, ...] = ()
        self.job: Job | None = None
        self._as_of: tuple[object, ...] = ()
        self._listing = ListWork(self)
        """Of the digests and the state of the book that the list shows."""
        self._listing.finished.connect(self._list)
        self._listing.failed.connect(shell.notices.error)

    def forget(self) -> None:
        """Another book is open, or a change made the list old."""
        self.cancel()
        self.digests, self._as_of, self.overlaid = {}, (), ()
        self._list(RunListing())

    def cancel(self) -> None:
        """Let go of what is being judged; what was judged so far is kept in the book."""
        self._listing.cancel()
        if self.job is not None:
            self.job.cancel()
            self.job = None

    def show(self) -> None:
        """The list as it is, and everything that is missing in it in the background."""
        session = self._session
        self._show_rows()
        if self.job is not None or session.book.state == self._as_of:
            return
        path = session.book.path
        self.job = Job(tr("Judging all runs"), lambda progress: digest_book(path, progress), self)
        self.job.progressed.connect(self._progressed)
        self.job.finished.connect(self._finished)
        self.job.failed.connect(self._failed)
        self.job.start()

    def overlay(self, run_ids: list[int]) -> None:
        """Lay runs over each other, the first one as the base.

        Raises
        ------
        PinchError : fewer than two or more than six are chosen, or one cannot be judged.
        """
        if not 2 <= len(run_ids) <= MOST_OVERLAID:
            raise PinchError(
                tr("Choose two to {most_overlaid} runs in the list of all runs.", most_overlaid=MOST_OVERLAID)
            )
        session = self._session
        shown = []
        for run_id in run_ids:
            run = session.book.get(Run, run_id)
            records = (
                session.book.get(Device, run.device_id),
                session.book.get(Setting, run.setting_id),
                session.book.get(Workload, run.workload_id),
            )
            shown.append(JudgedRun(run, *records, *session.desk.judge(run)))
        view, self.overlaid = self._view, tuple(run_ids)
        chart, names, differences = facts.overlay(shown)
        view.overlay.show_runs(chart, names, differences)
        view.tabs.setCurrentIndex(OVERLAY)
        self._shell.margin.show_notes(None)
        conditions = [f"{name}: {run.headline} {run.footnote}." for name, run in zip(names, shown, strict=True)]
        self._shell.margin.tell(tr("Conditions of each"), conditions)

    def _progressed(self, share: float) -> None:
        if self._view.tabs.currentIndex() == RUNS:
            self._view.runs.words.setText(tr("Judging all runs, {share:.0f} % …", share=100 * share))

    def _finished(self, found: Digested) -> None:
        self.job = None
        self.digests = found.digests
        self._as_of = self._session.book.state
        self._show_rows()
        if found.moved:
            runs = len({m.run_id for m in found.moved})
            words = tr(
                "The methods have changed: {runs} came to other figures. The margin lists them.",
                runs=counted(runs, "run"),
            )
            self._shell.notices.done(words)
            why = [f"{text[0].upper()}{text[1:]}." for text in changes_since(found.since or 0)]
            moved = [tr("Run {run_id}: {words}", run_id=m.run_id, words=m.words) for m in found.moved[:MOST_MOVED]]
            moved += (
                [tr("And {moved} more.", moved=len(found.moved) - MOST_MOVED)] if len(found.moved) > MOST_MOVED else []
            )
            self._shell.margin.tell(tr("What moved, and why"), [*why, *moved])

    def _failed(self, reason: str) -> None:
        self.job = None
        self._show_rows()
        self._shell.notices.error(reason)

    def _show_rows(self) -> None:
        """The list of the book as it is now. All of a large one is put together beside the window: until it is there,
        the list stays as it was, or shows the newest runs."""
        book, pane, digests = self._session.book, self._view.runs, self.digests
        if self._listing.is_done_for(digests, book.state):
            pane.show_words()
            return
        path, before, count = book.path, pane.model.listing.rows, book.count_runs()
        if not before or count <= AT_ONCE:
            self._list(run_listing(book, digests, before, AT_ONCE))
        if count > AT_ONCE:
            self._listing.begin(digests, book.state, lambda _: _listed_beside(path, digests, before))
        else:
            self._listing.done(digests, book.state, pane.model.listing)

    def _list(self, listing: RunListing) -> None:
        self._view.runs.show_listing(listing, self._session.subject.run_id)


def _listed_beside(path: Path, digests: Mapping[int, Digest], before: Sequence[RunRow]) -> RunListing:
    """All runs of a book file."""
    with contextlib.closing(open_book(path)) as book:
        return run_listing(book, digests, before)
