"""Scores that are told in a table, on their way into a book: runs without a log, or results where a row tells a metric
of its own or lows."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime

from pinch.bench.book import Book
from pinch.bench.new_runs import new_run
from pinch.bench.parts import OwnMetric
from pinch.bench.records import Device, ExitStatus, Result, Run, Setting, WorkKind, Workload
from pinch.bench.summaries import Origin, origin_words
from pinch.bench.variants import add_variant, own_name, variants_of
from pinch.core.errors import DataError
from pinch.core.frames import FRAME_RATE
from pinch.core.metrics import AVERAGE, MAIN, SCORE, built_in
from pinch.core.printing import plain
from pinch.intake.belonging import find_or_add
from pinch.intake.filing import Filed, in_words_of
from pinch.intake.score_tables import Told

TIMES = ("s", "ms", "min", "h")
"""Units of a score of which less is better."""


@dataclass(frozen=True)
class ToldRun:
    """What came into the book of a row: a run, or the results that it tells."""

    told: Told
    run: Run | None = None
    results: tuple[Result, ...] = ()

    @property
    def words(self) -> str:
        """What went where."""
        told, summary = self.told, self.told.summary
        where = f"{told.device}, {told.setting}, {told.workload}"
        where += f", run {self.run.repeat}" if self.run is not None else ""
        score = f"{told.metric} {plain(summary.score, 6)} {told.unit}".strip()
        lows = "".join(f", {built_in(key).name} {plain(low, 6)}" for key, low in told.lows)
        return f"line {told.line} → {where}: {score}{lows} ({origin_words(summary)})"


def add_told(book: Book, rows: Sequence[Told], source: str) -> tuple[ToldRun, ...]:
    """Runs and results of rows; records that the book does not have are made. The caller makes it one change.

    Raises
    ------
    PinchError : a name will not do.
    """
    return tuple(_add(book, row, source) for row in rows)


def records_for(
    book: Book,
    device: str,
    setting: str,
    workload: str,
    variant: str,
    claimed_w: float | None = None,
    unit: str = "",
    frames: bool = False,
) -> tuple[Device, Setting, Workload]:
    """The records of these names as the book has them, new ones where it has none: a new workload has this unit (none:
    points), and is a game's scene where `frames` are told of it.

    Raises
    ------
    PinchError : a name will not do.
    """
    filed = in_words_of(book, Filed(device, setting, workload))
    known = any(w.name == filed.workload for w in book.workloads())
    rate = FRAME_RATE if frames else "score.rate"
    its_device, its_setting, work = find_or_add(book, filed.device, filed.setting, claimed_w, filed.workload, rate)
    if not known:
        fields = {"score_unit": unit or "points", "higher_is_better": unit not in TIMES}
        fields |= {"kind": WorkKind.GAME} if frames else {}
        work = book.save(work.model_copy(update=fields))
    return its_device, its_setting, _variant(book, work, variant) if variant else work


def _add(book: Book, told: Told, source: str) -> ToldRun:
    names = (told.device, told.setting, told.workload, told.variant)
    device, setting, workload = records_for(book, *names, told.claimed_w, told.unit, bool(told.lows))
    told = replace(told, device=device.name, setting=setting.name, workload=workload.name)
    if told.metric or told.lows:
        return ToldRun(told, results=tuple(_results(book, told, device, setting, workload, source)))
    run = new_run(book, device, setting, workload, f"{source}, line {told.line}", notes=told.note)
    stop = {"status": ExitStatus.COMPLETE, "samples": 0, "summary": told.summary}
    if told.summary.origin is not Origin.OWN:
        stop["builds"] = ()
    if told.summary.dated:
        stop["started"] = datetime.fromisoformat(told.summary.dated).replace(hour=12, tzinfo=UTC)
    return ToldRun(told, book.save(run.model_copy(update=stop)))


def _variant(book: Book, workload: Workload, name: str) -> Workload:
    """The variant of a workload by its name, however it is spelled; a new one where it has none."""
    own = variants_of(workload.root_id, book.workloads())
    found = next((w for w in own if own_name(w).casefold() == name.casefold()), None)
    return found or add_variant(book, workload, name, preset=name)


def _results(book: Book, told: Told, device: Device, setting: Setting, workload: Workload, source: str) -> list[Result]:
    summary = told.summary
    metric = told.metric or (AVERAGE if workload.rate_channel == FRAME_RATE else SCORE)
    know_metric(book, workload, metric, told.unit)
    shared = {"device_id": device.id, "setting_id": setting.id, "workload_id": workload.id, "origin": summary.origin}
    shared |= {"told_by": summary.told_by, "day": summary.dated, "n": summary.repeats, "units": summary.units}
    shared |= {"note": f"{source}, line {told.line}. {told.note}".strip()}
    first = {**shared, "metric": metric, "value": summary.score, "spread": summary.spread}
    lows = [{**shared, "metric": key, "value": low} for key, low in told.lows]
    return [book.save(Result.model_validate(fields)) for fields in (first, *lows)]


def know_metric(book: Book, workload: Workload, metric: str, unit: str) -> None:
    """Make a metric one of the workload's own, where it is neither built in nor known; without a unit in that of its
    score."""
    root = book.get(Workload, workload.root_id)
    if metric in MAIN or any(m.name == metric for m in root.metrics):
        return
    try:
        built_in(metric)
    except DataError:
        own = OwnMetric(name=metric, unit=unit or root.score_unit)
        book.save(root.model_copy(update={"metrics": (*root.metrics, own)}))
