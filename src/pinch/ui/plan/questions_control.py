"""The questions of the book: where they stand, worked out after every change, and what is done about them."""

import contextlib
from collections.abc import Callable, Sequence

from PyQt6.QtCore import QObject, QTimer

from pinch.analysis.asking import questions_asked
from pinch.bench.bench_questions import ReviewQuestion
from pinch.bench.opening import open_book
from pinch.bench.plans import Plan
from pinch.core.standing import Stand
from pinch.language import tr
from pinch.narrative.question_words import answer_words, names_in
from pinch.runs.question_plan import QuestionPlan, keep_plan, kept_plan, plan_questions
from pinch.ui.page_protocol import Shell
from pinch.ui.plan.control import present
from pinch.ui.working import Working

CALM_MS = 3_000


class QuestionsControl(Working):
    """`finished` gives a `QuestionPlan`. An answer that a run has brought is told wherever the operator looks, and the
    plan of the questions is made anew."""

    doing = tr("Working out the questions")

    def __init__(self, shell: Shell, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._shell, self._session = shell, shell.session
        self._open: set[int] = set()
        self.found: QuestionPlan | None = None
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(CALM_MS)
        self._later.timeout.connect(self._look)
        shell.points.ready.connect(self.start)
        self.finished.connect(self._worked_out)

    def forget(self) -> None:
        """Another book is open."""
        self.close()
        self._open, self.found = set(), None

    def close(self) -> None:
        """The window closes."""
        self._later.stop()
        self.cancel()

    def records_changed(self) -> None:
        """A run may answer something: its points are wanted once the operator has stopped changing things, since
        judging writes to the book as well."""
        self._later.start()

    def _look(self) -> None:
        if self._session.book.questions() and not self._session.recording_now:
            self._shell.points.wanted()

    def start(self) -> None:
        """Work out where the questions stand."""
        book = self._session.book
        if not book.questions() and self.found is None:
            return
        points = self._shell.points.wanted()
        if points is None:
            return
        path, wish = book.path, tuple(book.questions())
        if self.is_done_for(points, wish):
            if self._last is not None:
                self.finished.emit(self._last)
            return

        def work(_: Callable[[float], bool]) -> QuestionPlan:
            with contextlib.closing(open_book(path, only_read=True)) as own:
                return plan_questions(own, questions_asked(points, own.questions()), present())

        self.begin(points, wish, work)

    def ask(self, question: ReviewQuestion) -> None:
        """Keep a question."""
        self.ask_all([question])

    def ask_all(self, questions: Sequence[ReviewQuestion]) -> None:
        """Keep questions, in one step."""
        book = self._session.book
        self._session.change(tr("ask a question"), lambda: [book.save(q) for q in questions])

    def drop(self, question: ReviewQuestion) -> None:
        """Ask it no more."""
        self._session.change(tr("ask a question no more"), lambda: self._session.book.delete(question))

    def make_sheet(self) -> Plan | None:
        """Keep the run sheet of what is needed as a plan of the book; None where nothing is."""
        points, book = self._shell.points.points, self._session.book
        if points is None:
            return None
        known = self._last is not None and self.is_done_for(points, tuple(book.questions()))
        asked = self._last.asked if known else questions_asked(points, book.questions())
        self._session.change(tr("plan the questions"), lambda: keep_plan(book, asked))
        return self.plan

    @property
    def plan(self) -> Plan | None:
        """The plan of the questions, None where none was made."""
        return kept_plan(self._session.book)

    def _worked_out(self, found: QuestionPlan) -> None:
        self.found = found
        book, names = self._session.book, names_in(self._session.book)
        answered = [a for a in found.asked if a.question.id in self._open and a.standing.stand is Stand.ANSWERED]
        for a in answered:
            words = tr("Question {n} is answered: {words}", n=a.question.id, words=answer_words(a, names))
            saved = found.saved_s(a, book) / 60.0
            told = tr("{words} About {saved:.0f} min less than three repeats of each.", words=words, saved=saved)
            self._shell.notices.done(told if saved >= 1.0 else words)
            self._shell.tell_away(words)
        self._open = {a.question.id for a in found.asked if a.standing.is_open}
        if answered and self.plan is not None and not book.read_only:
            self.make_sheet()
