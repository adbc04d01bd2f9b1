"""The operator's changes to the book, each one undoable step. No Qt."""

from pinch.analysis.references import is_own
from pinch.bench import runlogs
from pinch.bench.question_presets import pair_question
from pinch.bench.records import ExitStatus, Pass, Run, WindowByHand, Workload, checked
from pinch.core.errors import PinchError
from pinch.intake.completing import void_in_plans
from pinch.intake.reworking import remove_runs
from pinch.language import tr
from pinch.runs.devices import ALL_CORES, add_rig, add_this_computer
from pinch.ui.session import Session


class Changes:
    """What can be changed from the window."""

    def __init__(self, session: Session) -> None:
        self._session = session

    def add_computer(self) -> None:
        """The computer at hand becomes a device of the book, and the subject."""
        session = self._session
        session.change(tr("add this computer"), lambda: add_this_computer(session.book))
        device = next(d for d in session.book.devices() if d.local)
        built_in = next(w for w in session.book.workloads() if w.name == ALL_CORES.name)
        session.choose(device.id, session.settings(device.id)[0].id, built_in.id, None)

    def add_rig(self) -> None:
        """The simulated devices come into the book; the first becomes the subject."""
        session = self._session
        session.change(tr("add the simulated devices"), lambda: add_rig(session.book))
        device = next(d for d in session.book.devices() if d.rig)
        own = next(w for w in session.book.workloads() if not w.name.startswith("Built-in load"))
        session.choose(device.id, session.settings(device.id)[0].id, own.id, None)

    def ask_pair(self, setting_ids: tuple[int, int], workload_id: int, delta: float) -> None:
        """Which of two settings is faster becomes a question, followed until it is answered.

        Raises
        ------
        PinchError : they are one, or not of this book.
        """
        if not all(map(is_own, setting_ids)):
            raise PinchError(tr("One of the two belongs to a book laid beside this one; it is asked there."))
        book = self._session.book
        question = pair_question(setting_ids, book.get(Workload, workload_id), delta)
        self._session.change(tr("ask a question"), lambda: book.save(question))

    def remove_run(self) -> None:
        """The run leaves the lists, and its plan wants another; undo brings it back."""
        if self._session.run is None:
            raise PinchError(tr("There is no run to change."))
        self.remove_runs([self._session.run.id])

    def remove_runs(self, run_ids: list[int]) -> None:
        """Several runs leave the lists at once."""
        book = self._session.book
        runs = [book.get(Run, number) for number in run_ids]
        for run in runs:
            self._refuse_recorded(run)
        label = tr("remove run") if len(runs) == 1 else tr("remove {runs} runs", runs=len(runs))
        self._session.change(label, lambda: remove_runs(book, runs))
        s = self._session.subject
        self._session.choose(s.device_id, s.setting_id, s.workload_id, None)

    def close_cut_run(self) -> None:
        """A run without a stop gets one, so that it counts as it is.

        Raises
        ------
        PinchError : the run has a stop, or is still growing.
        """
        run = self._session.run
        if run is None or not run.cut_off:
            raise PinchError(tr("This run has its stop; there is nothing to close."))
        if self._session.recording_now:
            raise PinchError(tr("A run is being recorded; stop it first."))
        book = self._session.book
        self._session.change(
            tr("close the cut run"),
            lambda: runlogs.stop_run(book, run, ExitStatus.FAILED, tr("cut off; kept as it was.")),
        )

    def void_run(self, reason: str) -> None:
        """The run stays, does not count, and says why; its plan wants another."""
        self._change_run(tr("make run void"), void=reason)

    def choose_window(self, start_s: float, end_s: float, reason: str) -> None:
        """The settled window of the run as the operator chose it, and why."""
        chosen = checked(
            WindowByHand, tr("The window"), start_s=round(start_s, 1), end_s=round(end_s, 1), reason=reason
        )
        self._change_run(tr("move the settled window"), window=chosen)

    def find_window(self) -> None:
        """The settled window of the run as it is found.

        Raises
        ------
        PinchError : it is so already.
        """
        if self._session.run is None or self._session.run.window is None:
            raise PinchError(tr("The settled window of this run is as it was found."))
        self._change_run(tr("find the settled window again"), window=None)

    def keep_score(self, run_id: int, score: float) -> None:
        """The score of a run as the operator reads it: one pass over all of its load."""
        run = self._session.book.get(Run, run_id)
        log, judged = self._session.desk.judge(run)
        whole = Pass(start_s=judged.load_start_s, end_s=log.span_s[1], score=score)
        self._change(run, tr("enter the score"), passes=(whole,))

    def keep_notes(self, run_id: int, text: str) -> None:
        """The operator's notes on a run."""
        run = self._session.book.get(Run, run_id)
        if text != run.notes:
            self._change(run, tr("change notes"), notes=text)

    def pin(self, words: str) -> None:
        """A quick sum becomes a line of the notes of the chosen run."""
        run = self._session.run
        self._change_run(tr("pin a sum"), notes="\n".join(filter(None, (run.notes if run else "", words))))

    def _change_run(self, label: str, **fields: object) -> None:
        """Change the chosen run."""
        run = self._session.run
        if run is None:
            raise PinchError(tr("There is no run to change."))
        self._change(run, label, **fields)
        s = self._session.subject
        self._session.choose(s.device_id, s.setting_id, s.workload_id, s.run_id)

    def _refuse_recorded(self, run: Run) -> None:
        if run.cut_off and self._session.recording_now:
            raise PinchError(tr("This run is still being recorded; stop it first."))

    def _change(self, run: Run, label: str, **fields: object) -> None:
        self._refuse_recorded(run)
        book, changed = self._session.book, run.model_copy(update=fields)

        def work() -> None:
            book.save(changed)
            if changed.void and not run.void:
                void_in_plans(book, changed)

        self._session.change(label, work)
