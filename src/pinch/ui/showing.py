"""What each page shows of the session's subject, on the page and in the margin."""

from typing import TYPE_CHECKING

from pinch.analysis.curves import ScaleResult
from pinch.analysis.modes import modes_sheet
from pinch.bench.records import Device, Run, Setting, Workload, live
from pinch.core.errors import PinchError
from pinch.core.judge import Judgement
from pinch.core.runlog import RunLog
from pinch.narrative import cautions
from pinch.narrative.sheet_words import explain_sheet
from pinch.narrative.told_words import told_headline, told_lines
from pinch.ui.compare.control import Comparison
from pinch.ui.judge.listing import FLAG_WORDS
from pinch.ui.judge.state import JudgedRun
from pinch.ui.judge.view import RUNS
from pinch.ui.plan.state import matrix
from pinch.ui.run.state import LiveRun, next_words
from pinch.ui.shell.pages import COMPARE, JUDGE, MODES, PLAN, PUBLISH, RUN, SCALE

if TYPE_CHECKING:
    from pinch.ui.window import MainWindow

RECORDING_NOTES = [
    "Each sensor that Linux offers is read by a small process of its own. Power comes from energy "
    "counters, so nothing between two seconds is missed.",
    "The rest before the load gives the idle level, which the burst window is worked out from.",
    "The run is in the book as it grows: what was recorded stays, whatever happens.",
    "A meter that falls silent or a link that breaks leaves a gap and is tried again.",
]


def _notes_of(recorded: LiveRun | None) -> list[str]:
    return ["What the sensors and meters said:", *recorded.notes] if recorded and recorded.notes else []


COMPARE_NOTES = [
    "Tick cells in the list; the first one ticked is the baseline. A cell is a setting of a device, in one room, with "
    "one set of builds.",
    "Faster, a tie, or can't tell: a bare percentage is no answer. Choose a row for the numbers behind it.",
    "What differs beside what is compared stands under the bars and on Fairness. An unfair pair is compared all the "
    "same.",
]


MODES_NOTES = [
    "What “quiet”, “balanced” and “fast” really are: each setting by its measured watts, with what it holds, sounds "
    "and feels like, and how long the battery lasts.",
    "Noise, surfaces and watts by hand come from Reading by hand (Ctrl+G) on the Run page. A noise reading whose place "
    "is “room” is of the room alone, and is taken off.",
    "~ is by the line of wall over package, not measured; ≤ is an upper bound.",
]


class Showing:
    """One method for each page; what is worked out in the background comes back to one of the others."""

    def __init__(self, window: "MainWindow") -> None:
        self._window = window
        self._modes_room: tuple[int | None, float | None] = None, None

    def bench(self) -> None:
        """The record that is chosen on the bench."""
        self._window.margin.show_notes(None)
        self._window.benching.refresh()
        self._window.margin.tell(*self._window.benching.margin())

    def plan(self) -> None:
        """The chosen plan; its run sheet comes from the background."""
        self._window.margin.show_notes(None)
        plan, book = self._window.planning.plan, self._window.session.book
        protocols = live(book.protocols())
        self._window.plan_view.show_plans(self._window.planning.plans, protocols, plan)
        if plan is None:
            self._window.margin.tell("The plan", ["A matrix of runs becomes a run sheet: in which order, until when."])
            return
        self._window.plan_view.matrix.show_matrix(matrix(book, plan, self._window.session.device))
        self._window.planning.start()

    def planned(self) -> None:
        """A run sheet is there."""
        sheet = self._window.planning.sheet
        if sheet is not None and self._window.page == PLAN:
            self._window.plan_view.show_sheet(sheet)
            self._window.margin.explain(explain_sheet(sheet))
        if self._window.page == RUN:
            self.next_step()
        self._window.count()

    def run(self) -> None:
        """What is to be recorded, or what is being recorded."""
        session, recorded = self._window.session, self._window.recording.live
        devices = session.book.devices()
        may_add = not session.book.read_only and not session.recording_now
        self._window.run_view.offer_devices(
            may_add and not any(d.local for d in devices), may_add and not any(d.rig for d in devices)
        )
        self._window.margin.show_notes(None)
        self._window.beside.show_readings()
        self.next_step()
        if session.recording_now and recorded is not None:
            self._window.run_view.show_live(recorded, session.slot(session.subject.device_id or 0))
            self.said(recorded)
            return
        beside = self._window.beside.words()
        self._window.run_view.show_ready(session.device, session.setting, session.workload, bool(devices), beside)
        self._window.run_view.judge.setVisible(recorded is not None)
        self._window.checking.start_if_new()
        self._window.beside.show_cut()
        self._window.margin.tell("What is recorded", [*RECORDING_NOTES, *_notes_of(recorded)])

    def said(self, recorded: LiveRun) -> None:
        """The caution beside a run under way, and what its sensors and meters had to say so far."""
        self._window.margin.tell("Stay with it", [cautions.UNDER_LOAD, *_notes_of(recorded)])

    def next_step(self) -> None:
        """What the run sheet wants next; nothing while a run is recorded."""
        found = self._window.planning.next_step()
        if found is None or self._window.session.recording_now:
            self._window.run_view.show_next("", True)
            return
        line, before = found
        subject = self._window.session.subject
        taken = (subject.setting_id, subject.workload_id) == (line.setting_id, line.workload_id)
        self._window.run_view.show_next(next_words(line, before), taken)

    def judge(self) -> None:
        """The chosen run, judged; on their tab all runs."""
        if self._window.page == JUDGE and self._window.judge_view.tabs.currentIndex() == RUNS:
            self._window.digesting.show()
            self._window.margin.show_notes(None)
            flags = [f"{flag}: {words}." for flag, words in FLAG_WORDS.items()]
            self._window.margin.tell("What speaks against a run", [*flags, "Enter opens a run; Ctrl+Shift+O overlays."])
            return
        run = self._window.session.run
        if run is None:
            self._window.margin.show_notes(None)
            self._window.margin.tell("No run", ["Record a run on the Run page, or add one with Add, Runs from logs."])
            self._window.judge_view.show_nothing(
                "There is no run here yet. Choose another subject above, or record one."
            )
            return
        self._window.margin.show_notes(run.id, run.notes)
        if run.summary is not None:
            workload = self._window.session.book.get(Workload, run.workload_id)
            self._window.judge_view.show_nothing(told_headline(run.summary, workload.score_unit))
            self._window.margin.tell("A score without a log", told_lines(run.summary, workload.score_unit))
            return
        try:
            found = self._window.judging.judgement_of(run)
        except PinchError as error:
            self.not_judged(str(error))
            return
        if found is None:
            self._window.judge_view.show_nothing("Judging this run …")
            return
        shown = self._judged(run, *found)
        self._window.judge_view.show_run(shown, self._window.session.slot(run.device_id))
        self._window.margin.tell("This run", shown.overview())

    def judging_finished(self, run_id: int) -> None:
        """The judgement of a run is there."""
        if self._window.page == JUDGE and self._window.session.subject.run_id == run_id:
            self._window.refresh()

    def not_judged(self, reason: str) -> None:
        """A run cannot be judged."""
        self._window.judge_view.show_nothing("This run cannot be judged.")
        self._window.margin.tell("No judgement", [reason])

    def _judged(self, run: Run, log: RunLog, judged: Judgement) -> JudgedRun:
        book = self._window.session.book
        records = (
            book.get(Device, run.device_id),
            book.get(Setting, run.setting_id),
            book.get(Workload, run.workload_id),
        )
        return JudgedRun(run, *records, log, judged, tuple(book.readings(run.id or 0)))

    def scale(self) -> None:
        """The chosen workload over the watts of the devices that were tested with it."""
        self._window.margin.show_notes(None)
        if self._window.session.workload is None:
            self._window.scale_view.show_nothing("Choose a workload above to see its score against watts.")
            self._window.margin.tell(
                "Score against watts", ["Points stand at the power that was measured, not at the label."]
            )
            return
        if self._window.scaling.start():
            self._window.scale_view.show_working(0.0)
        else:
            self._window.scale_view.explain_spot()

    def points_ready(self) -> None:
        """All runs are judged: what looks at them is worked out."""
        if self._window.page == SCALE:
            self._window.scaling.start()
        if self._window.page == COMPARE:
            self._window.comparing.start()
        if self._window.page == MODES:
            self.modes()
        if self._window.page == PUBLISH:
            self._window.publishing.start()

    def scaled(self, result: ScaleResult) -> None:
        """The curves are there."""
        session, points, view = self._window.session, self._window.points.points, self._window.scale_view
        if points is not None:
            used = {(p.device.id, p.workload.id) for p in points.points}
            devices = [(d.id or 0, d.name) for d in points.devices if any(d.id == u for u, _ in used)]
            workloads = [(w.id or 0, w.name) for w in points.workloads if any(w.id == u for _, u in used)]
            view.show_choice(points.rooms(result.choice.workload_ids), result, [devices, workloads])
        slots = {d.id or 0: session.slot(d.id or 0) for d in session.book.devices()}
        view.show_result(result, slots, session.subject.device_id)
        if self._window.page == SCALE:
            left_out = [n.text for s in result.series for n in s.left_out]
            self._window.margin.tell("Left out", left_out or ["No run is left out."])
            view.explain_spot()

    def choose_scale(self, changed: dict[str, object]) -> None:
        """Something else is looked at on the Scale page."""
        self._window.scaling.choose(**changed)

    def choose_family(self) -> None:
        """The same work at other resolutions and presets beside the chosen one."""
        workload = self._window.session.workload
        if workload is not None:
            self._window.scaling.choose(workload_ids=self._window.scaling.workloads_like(workload))

    def compare(self) -> None:
        """Cells set against the baseline."""
        self._window.margin.show_notes(None)
        self._window.margin.tell("What is compared", COMPARE_NOTES)
        if self._window.comparing.start():
            self._window.compare_view.show_working(0.0)

    def compared(self, comparison: Comparison) -> None:
        """The verdicts are there."""
        session, control, view = self._window.session, self._window.comparing, self._window.compare_view
        points, chosen = self._window.points.points, control.chosen
        if points is not None:
            there = {w for c in chosen for w in c.points}
            works = [(w.id or 0, w.name) for w in points.workloads if w.id in there]
            view.show_choice(control.cells(), chosen, control.view, works, control.workloads)
        slots = {d.id or 0: session.slot(d.id or 0) for d in session.book.devices()}
        view.show_comparison(comparison, slots, session.subject.device_id)
        self._window.count()

    def modes(self) -> None:
        """The sheet of the chosen device under the chosen workload."""
        session, view = self._window.session, self._window.modes_view
        self._window.margin.show_notes(None)
        self._window.margin.tell("Modes at a glance", MODES_NOTES)
        points, device, workload = self._window.points.wanted(), session.device, session.workload
        if device is None or workload is None:
            view.show_nothing(f"Choose {'a device' if device is None else 'a workload'} above to see its modes.")
            return
        if points is None:
            view.show_nothing("Judging all runs …")
            return
        rooms = [p.room_c for p in points.points if p.device.id == device.id and p.workload.id == workload.id]
        known = [r for r in rooms if r is not None]
        if self._modes_room[0] != device.id:
            self._modes_room = device.id, max(set(known), key=known.count) if len(set(known)) > 1 else None
        view.show_rooms(sorted(set(known)), self._modes_room[1])
        sheet = modes_sheet(points, device, workload, self._modes_room[1], view.grade.currentData())
        view.show_sheet(sheet, points, session.slot(device.id or 0))

    def choose_modes_room(self, room: float | None) -> None:
        """Runs of another room count for the sheet."""
        device = self._window.session.device
        self._modes_room = device.id if device else None, room
        self.modes()
