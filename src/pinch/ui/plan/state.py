"""What the Plan page says: the finding, the matrix, the lines of the sheet, and what is behind them. No Qt."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from pinch.bench.book import Book
from pinch.bench.entry import read_day, read_quantity
from pinch.bench.planning import PlannedSheet, SheetLine
from pinch.bench.plans import OrderRule, Outcome, Plan, PlanEntry, PlanSession
from pinch.bench.records import Device, Setting, Workload, checked
from pinch.bench.setting_differences import why_not
from pinch.core.errors import PinchError
from pinch.narrative.explanation import Explanation

CAUTION = (
    "Do not leave a charging battery or a long load alone, keep vents free, and follow the makers' instructions; work "
    "on mains and batteries belongs to qualified people."
)
STEP_WORDS = {
    "set": "set",
    "restart": "restart",
    "firmware": "firmware",
    "supply": "supply",
    "recharge": "recharge",
    "cool": "wait",
    "run": "run",
    "read": "read",
}


def duration(seconds: float) -> str:
    """A time to plan with: minutes, or hours and minutes."""
    if 0 < seconds < 59.5:
        return f"{seconds:.0f} s"
    minutes = round(seconds / 60.0)
    return f"{minutes} min" if minutes < 60 else f"{minutes // 60} h {minutes % 60:02d}"


def headline(planned: PlannedSheet) -> str:
    """When it will be done, and what it takes."""
    runs, left_out = len(planned.sheet.runs), len(planned.sheet.left_out)
    if not planned.plan.cells:
        return "Nothing is wanted yet: type repeats into the matrix."
    if not runs and not left_out:
        return "Everything that was wanted is done."
    if not runs:
        many = "One run is" if left_out == 1 else f"{left_out} runs are"
        return f"{many} left out: the sessions are over, or too short. See Plan, Move the sessions on."
    end = planned.when(planned.sheet.end_s)
    spans = planned.spans()
    sessions = "" if len(spans) < 2 else f" in {len(spans)} sessions"
    said = f"Done {end:%A %-d %B} at {end:%H:%M}: {_runs(runs)}, {duration(planned.left_s)}{sessions}."
    return said if not left_out else f"{said} {_runs(left_out)} left out."


def totals(planned: PlannedSheet) -> str:
    """Live totals of the matrix."""
    words = [f"{_runs(len(planned.sheet.runs))} to do", duration(planned.left_s)]
    if planned.energy_wh is not None:
        words.append(f"{planned.energy_wh:.0f} Wh at the claimed limits")
    done = sum(e.outcome is Outcome.DONE for e in planned.plan.entries)
    if done:
        words.insert(0, f"{done} done")
    return " · ".join(words)


def explanation(planned: PlannedSheet) -> Explanation:
    """How the order was found, and what the sheet rests on."""
    sheet = planned.sheet
    if planned.plan.order is OrderRule.BALANCED:
        meaning = (
            "Repeats go in rounds, each setting once a round, so that a drift of the room or of drivers favours none. "
            f"The order was drawn with seed {planned.plan.seed}."
        )
        formula = [f"largest imbalance of positions = {sheet.imbalance or 0:g}"]
        formula.append(f"costs {duration(max(0.0, sheet.continuous_s - planned.other_s))} over the shortest order")
    else:
        meaning = "The order of least total time; of equally short ones, that with the least to change by hand."
        proof = "proved: no order is shorter" if sheet.proved else f"at most {100 * sheet.gap:.1f} % above the best"
        formula = [f"without breaks {duration(sheet.continuous_s)}", proof]
        formula.append(f"balanced would take {duration(planned.other_s)}")
    cautions = [note.text for note in planned.notes]
    if planned.left_out:
        cautions.append(f"Left out: {'; '.join(planned.left_out)}.")
    cautions += [_crossed_words(planned, n) for n in range(len(planned.crossed))]
    window = "Between runs cooling, recharging and the operator's work go on side by side; the longest counts."
    uncertainty = "Times are estimates; they learn from what runs and waits really took."
    return Explanation(
        "How this order was found", meaning, tuple(formula), window, uncertainty, "plan", (*cautions, CAUTION)
    )


@dataclass(frozen=True)
class ShownLine:
    """A line of the table."""

    time: str
    length: str
    kind: str
    words: str
    state: str
    quiet: bool


def sheet_lines(lines: Sequence[SheetLine]) -> list[ShownLine]:
    """The lines of the table; the day is said where it changes."""
    shown = []
    day = None
    for line in lines:
        new_day = line.start.date() != day
        day = line.start.date()
        time = f"{line.start:%a %-d %b  %H:%M}" if new_day else f"{line.start:%H:%M}"
        state = str(line.outcome) if line.outcome else ""
        words = f"{line.words} ({line.reason})" if line.reason else line.words
        seconds = (line.end - line.start).total_seconds()
        length = duration(seconds) if seconds > 0 else "–"
        kind = "run" if line.kind == "run" else STEP_WORDS[line.kind]
        shown.append(ShownLine(time, length, kind, words, state, not line.is_run))
    return shown


@dataclass(frozen=True)
class MatrixCell:
    """A cell: what stands in it, the number of repeats, its priority, and why it cannot be (empty: it can)."""

    text: str
    repeats: int
    priority: int
    why_not: str


@dataclass(frozen=True)
class Matrix:
    """Settings down, workloads across."""

    settings: tuple[Setting, ...]
    workloads: tuple[Workload, ...]
    row_names: tuple[str, ...]
    cells: tuple[tuple[MatrixCell, ...], ...]


def matrix(book: Book, plan: Plan, device: Device | None) -> Matrix:
    """The matrix of a plan: all settings of the devices it speaks of, or of the chosen device, and all workloads."""
    used = {book.get(Setting, c.setting_id).device_id for c in plan.cells}
    devices = [d for d in book.devices() if d.id in used] or ([device] if device else [])
    wanted = {c.setting_id for c in plan.cells}
    pairs = [(d, s) for d in devices for s in book.settings(d.id or 0) if not s.archived or s.id in wanted]
    planned = {c.workload_id for c in plan.cells}
    workloads = [w for w in book.workloads() if not w.archived or w.id in planned]
    workloads.sort(key=lambda w: w.id not in planned)
    names = [f"{d.name}: {s.name}" if len(devices) > 1 else s.name for d, s in pairs]
    cells = tuple(tuple(_cell(plan, d, s, w) for w in workloads) for d, s in pairs)
    return Matrix(tuple(s for _, s in pairs), tuple(workloads), tuple(names), cells)


PRIORITY_WORDS = {1: "first", 2: "", 3: "if time"}


def _cell(plan: Plan, device: Device, setting: Setting, workload: Workload) -> MatrixCell:
    reason = why_not(device, setting, workload)
    cell = plan.cell(setting.id or 0, workload.id or 0)
    if cell is None:
        return MatrixCell("", 0, 2, reason)
    done = sum(e.outcome is Outcome.DONE for e in plan.entries_of(cell.setting_id, cell.workload_id))
    count = f"{done} of {cell.repeats}" if done else f"{cell.repeats}"
    return MatrixCell(
        "  ".join(filter(None, [count, PRIORITY_WORDS[cell.priority]])), cell.repeats, cell.priority, reason
    )


def entry_now(plan: Plan, line: SheetLine, outcome: Outcome, reason: str, at: datetime) -> PlanEntry:
    """What is noted when the operator says that a run is over at `at`: a run takes its planned time and ends now, the
    rest since the run before was waiting."""
    length = timedelta(0) if outcome is Outcome.SKIPPED else line.end - line.start
    return PlanEntry(
        setting_id=line.setting_id,
        workload_id=line.workload_id,
        repeat=line.repeat,
        outcome=outcome,
        started=at - length,
        ended=at,
        reason=reason,
    )


def read_session(day: str, start: str, length: str, today: datetime) -> PlanSession:
    """A session from what was typed: a day (empty: today), a time of day, and a length (empty: open).

    Raises
    ------
    PinchError : one of them cannot be read.
    """
    date = today.date() if not day.strip() else datetime.fromisoformat(read_day(day)).date()
    try:
        begun = datetime.strptime(start.strip().replace(".", ":"), "%H:%M")
    except ValueError:
        raise PinchError(f"{start!r} is not a time of day such as 19:30.") from None
    # the clock of the place, also across a change of its offset
    moment = datetime(date.year, date.month, date.day, begun.hour, begun.minute).astimezone()
    minutes = read_quantity(length, "min").value if length.strip() else None
    session: PlanSession = checked(PlanSession, "The session", start=moment, minutes=minutes)
    return session


def session_words(session: PlanSession) -> tuple[str, str, str]:
    """Day, start and length of a session as they are typed."""
    local = session.start.astimezone()
    length = "" if session.minutes is None else duration(60.0 * session.minutes)
    return f"{local:%Y-%m-%d}", f"{local:%H:%M}", length


def _crossed_words(planned: PlannedSheet, number: int) -> str:
    cell, reason = planned.crossed[number]
    setting, workload = planned.bench.pair(cell)
    return f"{workload.name} at {setting.name} cannot be: {reason}."


def _runs(count: int) -> str:
    return "1 run" if count == 1 else f"{count} runs"
