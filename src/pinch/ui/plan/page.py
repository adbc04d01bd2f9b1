"""The Plan page: what is wanted, in which order, until when."""

from collections.abc import Sequence
from functools import partial

from PyQt6.QtCore import QTimer

from pinch.bench.cards import CardKind, TestedQuery
from pinch.bench.plans import Outcome
from pinch.bench.presets import Intent
from pinch.bench.question_presets import usual_questions
from pinch.bench.records import live
from pinch.charts.face import Drawn
from pinch.core.errors import PinchError
from pinch.core.standing import Stand
from pinch.language import tr
from pinch.narrative.cards.answer_cards import card_of
from pinch.narrative.question_words import answer_words, names_in, question_words
from pinch.narrative.sheet_words import duration, explain_sheet
from pinch.runs.question_plan import QuestionPlan
from pinch.ui.dialogs import ask_text, choose_several
from pinch.ui.file_dialogs import save_name
from pinch.ui.menus import MenuEntry, MenuName
from pinch.ui.page_protocol import Page, PlanTarget, RecordingTarget, Sent, Shell, Target
from pinch.ui.plan.ask_dialog import AskDialog
from pinch.ui.plan.control import present
from pinch.ui.plan.plan_dialogs import NewPlanDialog, SessionsDialog
from pinch.ui.plan.questions_control import QuestionsControl
from pinch.ui.plan.state import matrix
from pinch.ui.plan.view import MATRIX, QUESTIONS, SHEET, PlanView

START_MS, REPLAN_MS = 300, 60_000
"""For the hours left, once the window is there; then as the clock goes on."""


class PlanPage(Page[PlanView]):
    """The chosen plan; its run sheet comes from the background."""

    name, early = tr("Plan"), True

    def __init__(self, shell: Shell) -> None:
        super().__init__(shell)
        self.control = shell.planning
        self.control.planned.connect(self._planned)
        self.control.failed.connect(shell.notices.error)
        self.asking = QuestionsControl(shell, shell.dialog_parent)
        self.asking.finished.connect(self._questioned)
        self.asking.failed.connect(shell.notices.error)
        QTimer.singleShot(START_MS, self.control.start_if_changed)
        clock = QTimer(shell.dialog_parent)
        clock.timeout.connect(self._clock_went_on)
        clock.start(REPLAN_MS)

    def make(self) -> PlanView:
        view, shell, control = PlanView(), self.shell, self.shell.planning
        for signal, call in (
            (view.new_wanted, self.new_plan),
            (view.sessions_wanted, self.ask_sessions),
            (view.write_wanted, self.write_sheet),
            (view.record_wanted, self.record_next),
            (view.questions.ask_wanted, self.ask),
            (view.questions.dropped, self.ask_no_more),
            (view.questions.sheet_wanted, self.plan_questions),
        ):
            signal.connect(partial(shell.safely, call))
        for asked, take in (
            (view.plan_chosen, control.choose),
            (view.order_chosen, control.set_order),
            (view.protocol_chosen, control.set_protocol),
            (view.hours_typed, control.fit_into),
            (view.matrix.repeats_typed, control.set_repeats),
            (view.matrix.priority_wanted, control.next_priority),
            (view.outcome_wanted, self.note_outcome),
        ):
            asked.connect(lambda *given, take=take: shell.safely(partial(take, *given)))
        return view

    def menu(self) -> Sequence[MenuEntry]:
        plan, control = MenuName.PLAN, self.control
        return (
            MenuEntry(MenuName.BOOK, 150, tr("Write the run sheet …"), self.write_sheet, "Ctrl+P"),
            MenuEntry(MenuName.ADD, 150, tr("Plan …"), self.new_plan, "Ctrl+Alt+N"),
            MenuEntry(plan, 10, tr("Sessions …"), self.ask_sessions, "Ctrl+T"),
            MenuEntry(plan, 20, tr("Move the sessions on to today"), control.move_on),
            MenuEntry(plan, 30, tr("Draw another balanced order"), control.draw_again),
            MenuEntry(plan, 40, tr("Copy this plan as the next"), control.copy),
            MenuEntry(plan, 50, tr("Archive this plan"), control.archive),
            MenuEntry(plan, 110, tr("The chosen run is done"), partial(self.note_outcome, "done"), "Ctrl+Return"),
            MenuEntry(plan, 120, tr("… is void …"), partial(self.note_outcome, "void")),
            MenuEntry(plan, 130, tr("… is skipped …"), partial(self.note_outcome, "skipped")),
            MenuEntry(plan, 140, tr("Record the chosen or the next run"), self.record_next, "Ctrl+Shift+R"),
            MenuEntry(plan, 210, tr("Ask …"), self.ask, "Ctrl+Alt+Z"),
            MenuEntry(plan, 215, tr("Questions of a review of this device …"), self.ask_usual),
            MenuEntry(plan, 220, tr("Run sheet of the open questions"), self.plan_questions),
        )

    def forget(self) -> None:
        self.control.forget()
        self.asking.forget()

    def cancel(self) -> None:
        self.control.cancel()
        self.asking.close()

    def count(self) -> str:
        sheet = self.control.sheet
        return tr("{left_s} left", left_s=duration(sheet.left_s)) if sheet and sheet.sheet.runs else ""

    def show(self) -> None:
        self.shell.margin.show_notes(None)
        plan, book = self.control.plan, self.session.book
        self._show_questions()
        self.view.show_plans(self.control.plans, live(book.protocols()), plan)
        if plan is None:
            self.shell.margin.tell(
                tr("The plan"), [tr("A matrix of runs becomes a run sheet: in which order, until when.")]
            )
            return
        self.view.matrix.show_matrix(matrix(book, plan, self.session.device))
        self.control.start()

    def records_changed(self) -> None:
        self.asking.records_changed()
        if not self.shell.shows(self):
            self.control.start_if_changed()

    def reveal(self, target: Target) -> bool:
        if not isinstance(target, PlanTarget):
            return False
        self.view.tabs.setCurrentIndex(MATRIX if target.as_matrix else SHEET)
        return True

    def chart(self) -> Drawn | None:
        return self.view.timeline.chart if self.control.plan else None

    def sent(self) -> Sent:
        if self.view.tabs.currentIndex() != QUESTIONS:
            return Sent(CardKind.TABLE, TestedQuery())
        chosen, points = self.view.questions.chosen, self.shell.points.points
        if chosen is None or points is None or chosen.standing.stand is not Stand.ANSWERED:
            raise PinchError(tr("Choose a question that is answered first."))
        return Sent(*card_of(chosen, points), answer_words(chosen, names_in(self.session.book)))

    # Questions

    def ask(self) -> None:
        """A further question."""
        book, subject = self.session.book, self.session.subject
        devices, workloads = live(book.devices()), live(book.workloads())
        settings = [s for d in devices for s in live(book.settings(d.id))]
        if not settings or not workloads:
            raise PinchError(
                tr("A question needs a device with a setting, and a workload; enter them on the Bench page first.")
            )
        begin = (subject.device_id, subject.setting_id, subject.workload_id)
        dialog = AskDialog(devices, settings, workloads, begin, self.shell.dialog_parent)
        if dialog.exec() and dialog.question is not None:
            self.asking.ask(dialog.question)
            self.shell.show_page(self)
            self.view.tabs.setCurrentIndex(QUESTIONS)

    def ask_usual(self) -> None:
        """Several questions at once, as a review of the chosen device under the chosen workload has them."""
        session, book = self.session, self.session.book
        if session.device is None or session.workload is None:
            raise PinchError(tr("Choose a device and a workload in the strip first."))
        settings = live(book.settings(session.device.id))
        usual = usual_questions(session.device, settings, session.workload, live(book.workloads()))
        if not usual:
            raise PinchError(tr("Its settings have no limits, so nothing is asked of it usually; ask yourself: Ask …"))
        names = names_in(book)
        offered = {question_words(q, names): q for q in usual}
        title, words = tr("Questions of a review"), tr("Which of them are asked?")
        chosen = choose_several(self.shell.dialog_parent, title, words, list(offered))
        if chosen:
            self.asking.ask_all([offered[said] for said in chosen])
            self.shell.show_page(self)
            self.view.tabs.setCurrentIndex(QUESTIONS)

    def ask_no_more(self) -> None:
        """The chosen question is not asked any more."""
        chosen = self.view.questions.chosen
        if chosen is not None:
            self.asking.drop(chosen.question)

    def plan_questions(self) -> None:
        """The run sheet that answers the open questions."""
        plan = self.asking.make_sheet()
        if plan is None:
            raise PinchError(tr("No question needs a run now."))
        self.shell.show_page(self)
        self.view.tabs.setCurrentIndex(SHEET)
        self.control.choose(plan.id)
        self.shell.refresh()

    def points_ready(self) -> None:
        self._show_questions()

    def _show_questions(self) -> None:
        self.asking.start()
        if not self.session.book.questions():
            self.view.questions.show_questions(None, None)

    def _questioned(self, found: QuestionPlan) -> None:
        self.view.questions.show_questions(found, names_in(self.session.book))

    # What is asked

    def new_plan(self) -> None:
        """A plan from what it is to find out."""
        book = self.session.book
        devices, workloads, protocols = live(book.devices()), live(book.workloads()), live(book.protocols())
        if not devices or not workloads:
            raise PinchError(tr("A plan needs a device and a workload; enter them on the Bench page first."))
        dialog = NewPlanDialog(devices, workloads, protocols, self.session.device, self.shell.dialog_parent)
        if dialog.exec():
            intent = dialog.intent.currentData()
            chosen = [dialog.device.currentData()]
            if intent is Intent.PAIR and dialog.other.currentData() != chosen[0]:
                chosen.append(dialog.other.currentData())
            self.control.new(
                intent,
                dialog.plan_name,
                chosen,
                dialog.workload_ids,
                dialog.repeats.value(),
                dialog.protocol.currentData(),
            )
            self.shell.go_to(PlanTarget(intent is Intent.EMPTY))

    def ask_sessions(self) -> None:
        """When there is time for the plan."""
        plan = self.control.plan
        if plan is None:
            raise PinchError(tr("There is no plan yet; make one first."))
        dialog = SessionsDialog(plan.sessions, present(), self.shell.dialog_parent)
        if dialog.exec():
            self.control.set_sessions(dialog.sessions)

    def write_sheet(self) -> None:
        """The run sheet to print, as a table or as a calendar."""
        sheet = self.control.sheet
        if sheet is None:
            raise PinchError(tr("There is no run sheet yet; make a plan first."))
        kinds = tr("Run sheets (*.pdf *.html *.csv *.ics)")
        path = save_name(self.shell.dialog_parent, tr("Write the run sheet"), "run-sheet.pdf", kinds)
        if path:
            self.shell.writing.sheet(sheet, path)

    def note_outcome(self, outcome: str) -> None:
        """The chosen run of the sheet is done, void or skipped; the latter two ask why. One that was done can turn out
        void."""
        line, result = self.view.chosen_line, Outcome(outcome)
        was_done = line is not None and line.outcome is Outcome.DONE and result is Outcome.VOID
        if not self.shell.shows(self) or line is None or not (line.is_run or was_done):
            raise PinchError(tr("Choose a run of the run sheet that is still to do."))
        reason = "" if result is Outcome.DONE else self.ask_reason(result)
        if reason is not None and was_done:
            self.control.void(self.view.table.currentRow(), reason)
        elif reason is not None:
            self.control.note(line, result, reason)

    def ask_reason(self, outcome: Outcome) -> str | None:
        """Why a run of the plan is void or skipped; None where the operator thought better of it."""
        return ask_text(self.shell.dialog_parent, tr("This run is {outcome}", outcome=outcome), tr("Why?"))

    def record_next(self) -> None:
        """The chosen run of the sheet, on other pages the next one, becomes what is to be recorded."""
        following = self.control.next_step()
        line = self.view.chosen_line if self.shell.shows(self) else following[0] if following else None
        if line is None or not line.is_run:
            raise PinchError(tr("Choose a run of the run sheet that is still to do."))
        self.shell.go_to(RecordingTarget(self.control.take(line)))

    def _planned(self) -> None:
        """A run sheet is there."""
        sheet = self.control.sheet
        if sheet is not None and self.shell.shows(self):
            self.view.show_sheet(sheet)
            self.shell.margin.explain(explain_sheet(sheet))
        self.shell.count()

    def _clock_went_on(self) -> None:
        if self.shell.shows(self) and self.view.isVisible():
            self.control.start()
