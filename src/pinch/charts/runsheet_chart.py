"""What the timeline of a run sheet says: a row for each day, blocks by kind along the clock."""

from datetime import datetime, timedelta

from msgspec import Struct

from pinch.bench.planning import PlannedSheet, SheetLine
from pinch.bench.plans import Outcome
from pinch.language import moment, tr

BLOCK_KINDS = {
    "run": "run",
    "done": "done",
    "void": tr("void or skipped"),
    "cool": "cooling",
    "change": tr("change, restart"),
    "recharge": "recharge",
    "read": "readings",
}
"""Kinds of block in the order of the key, with their words."""


class Block(Struct, frozen=True):
    """A stretch of a row, in hours of the clock (more than 24: after midnight)."""

    start_h: float
    end_h: float
    kind: str
    words: str
    line: int
    slot: int = 0


class SheetRow(Struct, frozen=True):
    """A day."""

    label: str
    blocks: tuple[Block, ...]


class SheetChart(Struct, frozen=True):
    """The timeline. `first_h` and `last_h` bound the clock axis."""

    title: str
    rows: tuple[SheetRow, ...]
    first_h: float
    last_h: float
    footnote: str = ""
    alternative: str = ""

    @property
    def slot(self) -> int:
        """Place of the device that the key is drawn in: that of the first block."""
        return next((b.slot for row in self.rows for b in row.blocks), 0)

    @property
    def kinds(self) -> list[str]:
        """The kinds of block that occur."""
        present = {b.kind for row in self.rows for b in row.blocks}
        return [k for k in BLOCK_KINDS if k in present]


def sheet_chart(planned: PlannedSheet, title: str) -> SheetChart:
    """The timeline of a run sheet."""
    rows: dict[datetime, list[Block]] = {}
    previous_end: datetime | None = None
    day = datetime.min
    for number, line in enumerate(planned.lines()):
        later = previous_end is None or line.start - previous_end > timedelta(hours=4)
        if later and (day == datetime.min or line.start.date() != day.date()):
            day = line.start.replace(hour=0, minute=0, second=0, microsecond=0)
        previous_end = line.end
        device = planned.bench.device_of(line.setting_id)
        rows.setdefault(day, []).append(_block(line, number, day, planned.bench.slots.get(device.id, 0)))
    blocks = [b for row in rows.values() for b in row]
    first = min((b.start_h for b in blocks), default=9.0)
    last = max((b.end_h for b in blocks), default=18.0)
    made = tuple(SheetRow(moment(d, "%a %-d %b"), tuple(row)) for d, row in rows.items())
    runs = sum(b.kind == "run" for b in blocks)
    alternative = tr(
        "{title} {runs} runs on {made} days, from {begin} to {end}.",
        title=title,
        runs=runs,
        made=len(made),
        begin=clock(first),
        end=clock(last),
    )
    footnote = tr(
        "{plan} · order: {order} · protocol: {protocol}",
        plan=planned.plan.name,
        order=planned.plan.order,
        protocol=planned.bench.protocol.name,
    )
    return SheetChart(title, made, first // 1, -(-last // 1), footnote, alternative)


def clock(hours: float) -> str:
    """Hours of the clock as hh:mm; after midnight they begin anew."""
    minutes = round(hours * 60)
    return f"{minutes // 60 % 24:02d}:{minutes % 60:02d}"


def _block(line: SheetLine, number: int, day: datetime, slot: int) -> Block:
    start, end = ((t - day).total_seconds() / 3600.0 for t in (line.start, line.end))
    return Block(start, end, _kind(line), line.words, number, slot)


def _kind(line: SheetLine) -> str:
    if line.outcome is Outcome.DONE:
        return "done"
    if line.outcome is not None:
        return "void"
    return "change" if line.kind in ("set", "restart", "firmware", "hands", "supply") else line.kind
