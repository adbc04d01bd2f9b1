"""What the Plan page says: the finding, the matrix, the lines of the sheet, and what is behind them. No Qt."""

from collections.abc import Sequence
from datetime import datetime, timedelta

from msgspec import Struct

from pinch.bench.book import Book
from pinch.bench.entry import read_day, read_quantity
from pinch.bench.planning import SheetLine
from pinch.bench.plans import Outcome, Plan, PlanEntry, PlanSession
from pinch.bench.records import Device, Setting, Workload, checked
from pinch.bench.setting_differences import why_not
from pinch.core.errors import PinchError
from pinch.language import moment, tr
from pinch.narrative.sheet_words import duration

STEP_WORDS = {
    "set": tr("set"),
    "restart": tr("restart"),
    "firmware": tr("firmware"),
    "hands": tr("by hand"),
    "supply": tr("supply"),
    "recharge": tr("recharge"),
    "cool": tr("wait"),
    "run": tr("run"),
    "read": tr("read"),
}


class ShownLine(Struct, frozen=True):
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
        time = moment(line.start, "%a %-d %b  %H:%M") if new_day else f"{line.start:%H:%M}"
        state = tr(line.outcome) if line.outcome else ""
        words = f"{line.words} ({line.reason})" if line.reason else line.words
        seconds = (line.end - line.start).total_seconds()
        length = duration(seconds) if seconds > 0 else "–"
        kind = tr("run") if line.kind == "run" else STEP_WORDS[line.kind]
        shown.append(ShownLine(time, length, kind, words, state, not line.is_run))
    return shown


class MatrixCell(Struct, frozen=True):
    """A cell: what stands in it, the number of repeats, its priority, and why it cannot be (empty: it can)."""

    text: str
    repeats: int
    priority: int
    why_not: str


class Matrix(Struct, frozen=True):
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
    pairs = [(d, s) for d in devices for s in book.settings(d.id) if not s.archived or s.id in wanted]
    planned = {c.workload_id for c in plan.cells}
    workloads = [w for w in book.workloads() if not w.archived or w.id in planned]
    workloads.sort(key=lambda w: w.id not in planned)
    names = [f"{d.name}: {s.name}" if len(devices) > 1 else s.name for d, s in pairs]
    cells = tuple(tuple(_cell(plan, d, s, w) for w in workloads) for d, s in pairs)
    return Matrix(tuple(s for _, s in pairs), tuple(workloads), tuple(names), cells)


PRIORITY_WORDS = {1: "first", 2: "", 3: tr("if time")}


def _cell(plan: Plan, device: Device, setting: Setting, workload: Workload) -> MatrixCell:
    reason = why_not(device, setting, workload)
    cell = plan.cell(setting.id, workload.id)
    if cell is None:
        return MatrixCell("", 0, 2, reason)
    done = sum(e.outcome is Outcome.DONE for e in plan.entries_of(cell.setting_id, cell.workload_id))
    count = tr("{done} of {repeats}", done=done, repeats=cell.repeats) if done else f"{cell.repeats}"
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
        raise PinchError(tr("{start!r} is not a time of day such as 19:30.", start=start)) from None
    # the clock of the place, also across a change of its offset
    moment = datetime(date.year, date.month, date.day, begun.hour, begun.minute).astimezone()
    minutes = read_quantity(length, "min").value if length.strip() else None
    session: PlanSession = checked(PlanSession, tr("The session"), start=moment, minutes=minutes)
    return session


def session_words(session: PlanSession) -> tuple[str, str, str]:
    """Day, start and length of a session as they are typed."""
    local = session.start.astimezone()
    length = "" if session.minutes is None else duration(60.0 * session.minutes)
    return f"{local:%Y-%m-%d}", f"{local:%H:%M}", length
