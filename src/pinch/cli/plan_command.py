"""`pinch plan PLAN.json [--json]`: the run sheet of a plan."""

import argparse
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from pinch.analysis.plan_desk import PlanDesk
from pinch.bench.exchange import add_exchange, read_exchange
from pinch.bench.opening import scratch_book
from pinch.bench.planning import PlannedSheet, begin_of
from pinch.bench.plans import Cell, PlanSession
from pinch.bench.records import checked
from pinch.cli.numbers import number, print_json, warnings_json
from pinch.core.errors import DataError, PinchError
from pinch.core.printing import counted


def configure(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("plan", type=Path, help="a Pinch exchange document with plans (docs/formats.md)")
    parser.add_argument("--plan", dest="name", metavar="NAME", help="which of several plans")
    parser.add_argument("--at", metavar="TIME", help="plan from this time on, ISO 8601 (the plan's own beginning)")
    parser.add_argument("--hours", type=float, help="what fits into one session of so many hours")
    parser.add_argument("--write", type=Path, metavar="FILE", help="also write the sheet as .csv, .ics, .html or .pdf")
    parser.add_argument("--json", action="store_true", help="print one JSON object")


def run(args: argparse.Namespace) -> int:
    planned = plan_document(args.plan, args.at, args.hours, args.name)
    if args.write:
        from pinch.publish.printed_sheet import write_sheet

        write_sheet(planned, args.write)
    if args.json:
        print_json(sheet_json(planned))
    else:
        _print_plain(planned)
    return 0


def plan_document(path: Path, at: str | None, hours: float | None, name: str | None = None) -> PlannedSheet:
    """The run sheet of the plan of that name in a document, or of the only one.

    Raises
    ------
    PinchError : the document, the time or the hours make no sense.
    """
    exchange = read_exchange(path)
    names = [each.name for each in exchange.plans]
    wanted = [n for n, own in enumerate(names) if name in (None, own)]
    if len(wanted) != 1:
        there = f"it holds {counted(len(names), 'plan')}{': ' if names else ''}{', '.join(names)}"
        raise DataError(str(path), there if name is None else f"there is no single plan called {name!r}; {there}")
    book = scratch_book()
    try:
        plan = add_exchange(book, exchange)[wanted[0]]
        begin = _time(at) if at else begin_of(plan)
        if hours is not None:
            session = checked(PlanSession, "The session", start=begin, minutes=60.0 * hours)
            plan = plan.model_copy(update={"sessions": (session,)})
        return PlanDesk(book).plan(plan, begin)
    except DataError as error:
        raise DataError(str(path), f"{error.place}: {error.reason}") from None
    finally:
        book.close()


def sheet_json(planned: PlannedSheet) -> dict[str, Any]:
    """The object that `--json` prints."""
    sheet = planned.sheet
    return {
        "plan": planned.plan.name,
        "order": str(planned.plan.order),
        "seed": planned.plan.seed,
        "start": planned.when(sheet.steps[0].start_s).isoformat() if sheet.steps else None,
        "end": planned.when(sheet.end_s).isoformat() if sheet.steps else None,
        "total_s": number(planned.left_s),
        "energy_Wh": None if planned.energy_wh is None else number(planned.energy_wh),
        "proved_optimal": sheet.proved,
        "gap": number(sheet.gap),
        "bound_s": number(sheet.bound_s),
        "imbalance": None if sheet.imbalance is None else number(sheet.imbalance),
        "steps": [
            {
                "start": planned.when(s.start_s).isoformat(),
                "end": planned.when(s.end_s).isoformat(),
                "kind": s.kind,
                "what": planned.step_words(s),
                **_place(planned, planned.cell_of(s.job)),
                "repeat": s.job.repeat,
            }
            for s in sheet.steps
        ],
        "left_out": [{**_place(planned, planned.cell_of(j)), "repeat": j.repeat} for j in sheet.left_out],
        "crossed": [{**_place(planned, cell), "reason": reason} for cell, reason in planned.crossed],
        "warnings": warnings_json(planned.notes),
    }


def _place(planned: PlannedSheet, cell: Cell) -> dict[str, str]:
    setting, workload = planned.bench.pair(cell)
    device = planned.bench.devices[setting.device_id]
    return {"device": device.name, "setting": setting.name, "workload": workload.name}


def _time(text: str) -> datetime:
    try:
        given = datetime.fromisoformat(text)
    except ValueError:
        raise PinchError(f"--at: {text!r} is not a time such as 2026-09-01T19:30.") from None
    return given if given.tzinfo else given.replace(tzinfo=UTC)


def _print_plain(planned: PlannedSheet) -> None:
    for line in planned.lines():
        state = f"  ({line.outcome})" if line.outcome else ""
        print(f"{line.start:%a %d %b %H:%M}–{line.end:%H:%M}  {line.words}{state}")
    sheet = planned.sheet
    known = "no order is shorter" if sheet.proved else f"another order could be {100 * sheet.gap:.1f} % shorter at most"
    print(f"{counted(len(sheet.runs), 'run')}, {planned.left_s / 3600:.1f} h; {known}")
    for words in planned.left_out:
        print(f"  left out: {words}")
    for cell, reason in planned.crossed:
        setting, workload = planned.bench.pair(cell)
        print(f"  cannot be: {workload.name} at {setting.name}: {reason}")
    for note in planned.notes:
        print(f"  note: {note.text}")
