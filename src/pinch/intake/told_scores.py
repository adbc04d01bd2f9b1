"""Scores that are told in a table, on their way into a book: runs without a log."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime

from pinch.bench.book import Book
from pinch.bench.new_runs import new_run
from pinch.bench.records import ExitStatus, Run
from pinch.bench.summaries import Origin, origin_words
from pinch.intake.belonging import find_or_add
from pinch.intake.filing import Filed, in_words_of
from pinch.intake.score_tables import Told

TIMES = ("s", "ms", "min", "h")
"""Units of a score of which less is better."""


@dataclass(frozen=True)
class ToldRun:
    """A score that came into the book, and the row it stood in."""

    run: Run
    told: Told

    @property
    def words(self) -> str:
        """What went where."""
        told, summary = self.told, self.told.summary
        where = f"{told.device}, {told.setting}, {told.workload}, run {self.run.repeat}"
        return f"line {told.line} → {where}: {summary.score:.6g} {told.unit}".rstrip() + f" ({origin_words(summary)})"


def add_told(book: Book, rows: Sequence[Told], source: str) -> tuple[ToldRun, ...]:
    """Runs of scores; records that the book does not have are made. The caller makes it one change.

    Raises
    ------
    PinchError : a name will not do.
    """
    return tuple(_add(book, row, source) for row in rows)


def _add(book: Book, told: Told, source: str) -> ToldRun:
    filed = in_words_of(book, Filed(told.device, told.setting, told.workload))
    known = any(w.name == filed.workload for w in book.workloads())
    records = find_or_add(book, filed.device, filed.setting, told.claimed_w, filed.workload, "score.rate")
    if not known:
        less = told.unit in TIMES
        book.save(records[2].model_copy(update={"score_unit": told.unit or "points", "higher_is_better": not less}))
    run = new_run(book, *records, f"{source}, line {told.line}", notes=told.note)
    stop = {"status": ExitStatus.COMPLETE, "samples": 0, "summary": told.summary}
    if told.summary.origin is not Origin.OWN:
        stop["builds"] = ()
    if told.summary.dated:
        stop["started"] = datetime.fromisoformat(told.summary.dated).replace(hour=12, tzinfo=UTC)
    kept = book.save(run.model_copy(update=stop))
    return ToldRun(kept, replace(told, device=filed.device, setting=filed.setting, workload=filed.workload))
