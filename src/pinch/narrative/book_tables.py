"""The runs, readings and figures of a book as plain tables: columns with units, cells with types. What they are written
to is the business of `table_files`."""

from collections.abc import Iterable, Mapping, Sequence
from datetime import date

from msgspec import Struct

from pinch.analysis.plain_tables import Cell, Column, Table
from pinch.analysis.results import BookResult
from pinch.bench.readings import UNITS, Reading
from pinch.bench.records import Device, Run, Setting, Workload, scores_of, standing
from pinch.bench.summaries import Origin
from pinch.core.causes import Cause
from pinch.core.figures import Estimate, finite
from pinch.core.judge import Judgement
from pinch.narrative.finding import finding


class TabledRun(Struct, frozen=True):
    """A run with its records and readings; `judged` is None where it could not be judged, then `reason` says why."""

    run: Run
    device: Device
    setting: Setting
    workload: Workload
    readings: tuple[Reading, ...]
    judged: Judgement | None
    reason: str = ""


_WHICH = (Column("run"), Column("device"), Column("setting"), Column("workload"), Column("repeat"))
_RUNS = (
    *_WHICH,
    *(Column("started"), Column("room", "°C"), Column("mains"), Column("status"), Column("void"), Column("unit")),
    *(Column("claimed sustained", "W"), Column("claimed burst", "W"), Column("score"), Column("score unit")),
    *(
        Column("less is better"),
        Column("passes"),
        Column("whose figure"),
        Column("units"),
        Column("runs behind"),
    ),
    *(Column("told by"), Column("dated"), Column("window"), Column("sustained limit", "W"), Column("burst limit", "W")),
    *(Column("burst", "s"), Column("limiter window", "s"), Column("heat", "%"), Column("finding"), Column("notes")),
    Column("started in spite of"),
)
_FIGURES = (
    *_WHICH,
    *(Column("channel"), Column("unit"), Column("sustained"), Column("u"), Column("median"), Column("5 % point")),
    *(Column("95 % point"), Column("burst"), Column("hold", "%"), Column("seconds", "s"), Column("window")),
    *(Column("load lowest"), Column("load mean"), Column("load highest")),
    *(Column("rest lowest"), Column("rest mean"), Column("rest highest")),
)
_READINGS = (
    *_WHICH,
    *(Column("time", "s"), Column("quantity"), Column("value"), Column("unit"), Column("u"), Column("lowest seen")),
    *(
        Column("highest seen"),
        Column("when"),
        Column("place"),
        Column("distance", "mm"),
        Column("instrument"),
        Column("note"),
    ),
)


def book_tables(runs: Sequence[TabledRun]) -> tuple[Table, ...]:
    """The tables `runs`, `figures` (a row a channel of a run) and `readings`."""
    return (
        Table("runs", _RUNS, tuple(_run_row(run) for run in runs)),
        Table("figures", _FIGURES, tuple(row for run in runs for row in _figure_rows(run))),
        Table("readings", _READINGS, tuple(row for run in runs for row in _reading_rows(run))),
    )


_RESULTS = (
    *(Column("device"), Column("setting"), Column("workload"), Column("variant"), Column("metric"), Column("unit")),
    *(Column("better"), Column("value"), Column("from"), Column("to"), Column("runs behind"), Column("scatter")),
    *(Column("units"), Column("whose figure"), Column("told by"), Column("day"), Column("of"), Column("run")),
    Column("left out because"),
)


def _day(text: str) -> Cell:
    """A day as one, where it is a whole one."""
    try:
        return date.fromisoformat(text)
    except ValueError:
        return text


def results_table(results: Sequence[BookResult]) -> Table:
    """Every result of a book, a row each: whatever a run came to, and what was typed or told."""
    return Table("results", _RESULTS, tuple(_result_row(r) for r in results))


def _result_row(r: BookResult) -> tuple[Cell, ...]:
    named = (r.device.name, r.setting.name, r.workload.name, r.variant, r.metric.name, r.metric.unit)
    known = (str(r.metric.better), r.value, r.low, r.high, r.n, r.spread, r.units)
    return (*named, *known, str(r.origin), r.author, _day(r.day), str(r.extent), r.run_id, r.left_out)


def _which(tabled: TabledRun) -> tuple[Cell, ...]:
    run = tabled.run
    return run.id, tabled.device.name, tabled.setting.name, tabled.workload.name, run.repeat


def _run_row(tabled: TabledRun) -> tuple[Cell, ...]:
    run, setting, workload, judged, told = (
        tabled.run,
        tabled.setting,
        tabled.workload,
        tabled.judged,
        tabled.run.summary,
    )
    return (
        *_which(tabled),
        *(
            None if run.undated else run.started,
            run.ambient_c,
            setting.mains,
            str(run.status or "cut off"),
            run.void,
            standing(tabled.device),
        ),
        *(setting.sustained_w, setting.burst_w, _score(tabled), workload.score_unit, not workload.higher_is_better),
        *(len(run.passes) or None, str(told.origin if told else Origin.OWN), told.units if told else 1),
        *(told.repeats if told else 1, told.told_by if told else "", _day(told.dated) if told else None),
        *((judged.settled.state, *_limits(judged)) if judged else ("", None, None, None, None)),
        _share(judged.limiter_share, Cause.HEAT) if judged else None,
        finding(judged) if judged else tabled.reason,
        run.notes,
        " ".join(run.in_spite_of),
    )


def _score(tabled: TabledRun) -> float | None:
    """The mean score of the passes that count, else the sustained rate."""
    scores, judged = scores_of(tabled.run), tabled.judged
    if scores:
        return sum(scores) / len(scores)
    return finite(judged.figures[judged.rate].sustained.value) if judged and judged.rate else None


def _limits(judged: Judgement) -> Iterable[float | None]:
    limits = judged.limits
    estimates: tuple[Estimate, ...] = (limits.sustained, limits.burst, limits.burst_s, limits.window_s)
    return (finite(e.value) for e in estimates)


def _share(shares: Mapping[Cause, float], cause: Cause) -> float:
    return 100.0 * shares.get(cause, 0.0)


def _figure_rows(tabled: TabledRun) -> Iterable[tuple[Cell, ...]]:
    judged = tabled.judged
    if judged is None:
        return
    for f in judged.figures.values():
        numbers = (f.sustained.value, f.sustained.u, f.median, f.p05, f.p95, f.burst, 100.0 * f.hold)
        yield (
            *_which(tabled),
            *(f.channel, f.unit, *(finite(x) for x in numbers), f.n, judged.settled.state),
            *_range(judged, f.channel),
        )


def _range(judged: Judgement, channel: str) -> Iterable[float | None]:
    """How far a channel went under load and at rest."""
    found = judged.ranges.get(channel)
    if found is None:
        return (None,) * 6
    return (finite(x) for spread in (found.load, found.idle) for x in (spread.low, spread.mean, spread.high))


def _reading_rows(tabled: TabledRun) -> Iterable[tuple[Cell, ...]]:
    for r in tabled.readings:
        seen = (r.value, UNITS[r.quantity], r.u, r.low, r.high)
        yield *_which(tabled), r.t_s, str(r.quantity), *seen, str(r.phase), r.place, r.distance_mm, r.instrument, r.note
