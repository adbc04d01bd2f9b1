"""A run sheet that leaves Pinch: CSV, iCalendar (RFC 5545, by the icalendar package), and a page to print as PDF."""

import csv
import io
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from pinch.bench.files import write_whole
from pinch.bench.planning import PlannedSheet
from pinch.charts.chart_files import bare_svg
from pinch.charts.runsheet_chart import sheet_chart
from pinch.charts.theme import LIGHT
from pinch.core.errors import PinchError
from pinch.core.printing import counted
from pinch.language import moment, tr
from pinch.narrative import cautions
from pinch.narrative.methodology import methodology
from pinch.publish.harmless import harmless
from pinch.publish.pages import FONTS_HERE, pdf_bytes, render, with_fonts

COLUMNS = ("start", "end", "minutes", "kind", "what", "state", "reason")


def write_sheet(planned: PlannedSheet, path: Path) -> None:
    """Write the sheet to `path`, .csv, .ics, .pdf or .html; an existing file is replaced only by a complete one.

    Raises
    ------
    PinchError : another ending, or the file cannot be written.
    """
    writers: dict[str, Callable[[PlannedSheet], bytes]] = {
        ".csv": csv_bytes,
        ".ics": calendar_bytes,
        ".html": lambda p: page(p).encode(),
        ".pdf": lambda p: pdf_bytes(page(p)),
    }
    writer = writers.get(path.suffix.lower())
    if writer is None:
        known = ", ".join(writers)
        raise PinchError(
            tr(
                "{path}: a run sheet is written as {known}, not as {suffix}.",
                path=path,
                known=known,
                suffix=path.suffix or tr("a file without ending"),
            )
        )
    write_whole(path, writer(planned))


def csv_bytes(planned: PlannedSheet) -> bytes:
    """A row a line of the sheet, times as ISO 8601 with their offset."""
    text = io.StringIO()
    writer = csv.writer(text, lineterminator="\n")
    writer.writerow(COLUMNS)
    for line in planned.lines():
        minutes = (line.end - line.start).total_seconds() / 60.0
        state = line.outcome or "planned"
        times = (line.start.isoformat(timespec="seconds"), line.end.isoformat(timespec="seconds"))
        writer.writerow([*times, f"{minutes:.1f}", line.kind, harmless(line.words), state, harmless(line.reason)])
    return text.getvalue().encode()


def calendar_bytes(planned: PlannedSheet) -> bytes:
    """One event a session, with the times of its runs: runs as events of their own would lie over it."""
    from icalendar import Calendar, Event

    calendar = Calendar()
    calendar.add("prodid", "-//Pinch//run sheet//EN")
    calendar.add("version", "2.0")
    runs = [line for line in planned.lines() if line.is_run]
    for number, (start, end) in enumerate(planned.spans(), 1):
        inside = [r for r in runs if start - 1 <= r.start.timestamp() <= end]
        words = "\n".join(f"{r.start:%H:%M} {r.words}" for r in inside)
        title = tr(
            "{plan}: session {number}, {inside}",
            plan=planned.plan.name,
            number=number,
            inside=counted(len(inside), "run", "runs"),
        )
        calendar.add_component(
            _event(Event(), title, planned.when(start), planned.when(end), f"s{number}", planned, words)
        )
    return bytes(calendar.to_ical())


def page(planned: PlannedSheet) -> str:
    """The sheet as a page of HTML that stands alone: times, boxes for readings by hand, methodology."""
    title = tr("{plan}: run sheet", plan=planned.plan.name)
    days: dict[str, list[Any]] = {}
    for line in planned.lines():
        days.setdefault(moment(line.start, "%A %-d %B %Y"), []).append(line)
    drawn = render(
        "runsheet.html",
        fonts=FONTS_HERE,
        title=title,
        planned=planned,
        days=days,
        timeline=bare_svg(sheet_chart(planned, title), LIGHT, 1060, "sheet"),
        method=methodology(planned.bench.protocol) if planned.plan.protocol_id else "",
        caution=cautions.PRINTED,
        theme=LIGHT,
        left_out=planned.left_out,
    )
    return with_fonts(drawn)


def _event(event: Any, title: str, start: datetime, end: datetime, key: str, planned: PlannedSheet, words: str) -> Any:
    event.add("summary", title)
    event.add("dtstart", start.astimezone(UTC))
    event.add("dtend", end.astimezone(UTC))
    event.add("dtstamp", planned.plan.created.astimezone(UTC))
    event.add("uid", f"{planned.plan.created:%Y%m%dT%H%M%S}-{planned.plan.id}-{key}@pinch")
    if words:
        event.add("description", words)
    return event
