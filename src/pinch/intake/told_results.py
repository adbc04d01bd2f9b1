"""What a table tells, on its way into a book as results. The same result again is recognised by what it is of and what
it says, and skipped; where the same table says something else of it now, that replaces it."""

from collections.abc import Sequence

from msgspec import Struct

from pinch.bench.book import Book
from pinch.bench.entry import factor_between
from pinch.bench.records import Result, Workload, checked
from pinch.bench.summaries import result_words
from pinch.core.errors import PinchError
from pinch.core.frames import FRAME_RATE
from pinch.core.metrics import AVERAGE, MAIN, SCORE, built_in, key_of
from pinch.core.printing import counted
from pinch.core.progress import Progress, tell, unheard
from pinch.intake.shelf import Place, Shelf
from pinch.intake.told_rows import Told, ToldValue, is_of_frames
from pinch.language import tr


class Taken(Struct, frozen=True):
    """What a table came to in the book: results that are new or replaced another, each with where it went in words;
    how many were there already; and a sentence for each that could not be taken."""

    added: tuple[Result, ...] = ()
    replaced: tuple[Result, ...] = ()
    skipped: int = 0
    lines: tuple[str, ...] = ()
    problems: tuple[str, ...] = ()

    @property
    def words(self) -> str:
        """What became of the table, in a sentence."""
        parts = [tr("{added} added", added=counted(len(self.added), "result"))]
        if self.replaced:
            parts.append(tr("{replaced} replaced", replaced=len(self.replaced)))
        if self.skipped:
            parts.append(
                tr(
                    "{skipped} skipped, as the book has {what} already",
                    skipped=self.skipped,
                    what=tr("it") if self.skipped == 1 else tr("them"),
                )
            )
        return f"{', '.join(parts)}."


def add_told(book: Book, rows: Sequence[Told], source: str, progress: Progress = unheard) -> Taken:
    """Add the results of the rows of a table; records that the book does not have are made. The caller makes it one
    change. `source` is the name of the table: what it told before can be told otherwise by it alone.

    Raises
    ------
    CancelledError : `progress` answered False.
    """
    shelf, there = Shelf(book), ThereAlready(book)
    added: list[Result] = []
    replaced: list[Result] = []
    lines: list[str] = []
    problems: list[str] = []
    skipped = 0
    left: list[tuple[Result, str]] = []
    for number, told in enumerate(rows):
        tell(progress, number / len(rows))
        try:
            made = _results(shelf, told, source)
        except PinchError as error:
            problems.append(
                tr("{source}, line {line}: {what}.", source=source, line=told.line, what=str(error).rstrip("."))
            )
            continue
        for result, words in made:
            if there.has(result):
                skipped += 1
            else:
                left.append((result, words))
    for result, words in left:
        old = there.told_otherwise(result)
        if old is not None:
            replaced.append(book.save(result.model_copy(update={"kept_id": old.id, "run_id": old.run_id})))
        else:
            added.append(book.save(result))
        lines.append(words)
    return Taken(tuple(added), tuple(replaced), skipped, tuple(lines), tuple(problems))


class ThereAlready:
    """The results that a book had before, each to be met once."""

    def __init__(self, book: Book) -> None:
        self._left: dict[tuple[object, ...], list[Result]] = {}
        for r in book.results():
            self._left.setdefault(_identity(r), []).append(r)
        self._runs: dict[tuple[object, ...], int] = {}
        for run in book.runs():
            s = run.summary
            if s is not None:  # as tables were taken in by earlier versions
                place = (run.device_id, run.setting_id, run.workload_id)
                key = (*place, s.origin, s.told_by, s.score, s.spread, s.repeats, s.units)
                self._runs[key] = self._runs.get(key, 0) + 1

    def has(self, result: Result) -> bool:
        """Whether the same result is there already, once more than it was asked for."""
        left = self._left.get(_identity(result), [])
        same = next((old for old in left if _content(old) == _content(result)), None)
        if same is not None:
            left.remove(same)
            return True
        place = (result.device_id, result.setting_id, result.workload_id)
        key = (*place, result.origin, result.told_by, result.value, result.spread, result.n, result.units)
        if result.metric in MAIN and self._runs.get(key, 0) > 0:
            self._runs[key] -= 1
            return True
        return False

    def told_otherwise(self, result: Result) -> Result | None:
        """A result that the same table told of the same thing with another value."""
        left = self._left.get(_identity(result), [])
        old = next((old for old in left if old.source and _table(old.source) == _table(result.source)), None)
        if old is not None:
            left.remove(old)
        return old


def _identity(r: Result) -> tuple[object, ...]:
    return (r.device_id, r.setting_id, r.workload_id, r.metric, r.origin, r.told_by, r.day, r.builds)


def _content(r: Result) -> tuple[object, ...]:
    return (r.value, r.low, r.high, r.n, r.units, r.spread, r.power_w)


def _table(source: str) -> str:
    return source.rpartition(", line ")[0]


def _results(shelf: Shelf, told: Told, source: str) -> list[tuple[Result, str]]:
    """The results of a row, none of them in the book yet, each with where it goes in words."""
    frames = is_of_frames(told)
    unit = next((v.unit for v in told.values if v.metric in ("", AVERAGE, SCORE) and v.unit), "")
    names = (told.device, told.setting, told.workload, told.variant)
    place = shelf.place(names, told.claimed_w, unit, FRAME_RATE if frames else "score.rate")
    return [_result(shelf, place, told, value, source) for value in told.values]


def _result(shelf: Shelf, place: Place, told: Told, value: ToldValue, source: str) -> tuple[Result, str]:
    device, setting, workload = place
    main = AVERAGE if workload.rate_channel == FRAME_RATE else SCORE
    metric = key_of(value.metric) if value.metric else main
    if metric == AVERAGE and main == SCORE:
        metric = SCORE  # the mean of a score's runs is that score
    own = shelf.know_metric(workload, metric, value.unit)
    factor = _factor(value, workload, metric, own.unit if own is not None else None)

    def scaled(x: float | None) -> float | None:
        return None if x is None else float(f"{x * factor:.12g}")

    result: Result = checked(
        Result,
        tr("The result"),
        device_id=device.id,
        setting_id=setting.id,
        workload_id=workload.id,
        metric=own.name if own is not None else metric,
        value=scaled(value.value),
        low=scaled(value.low),
        high=scaled(value.high),
        spread=scaled(value.spread),
        n=value.n,
        units=value.units,
        origin=told.origin,
        told_by=told.told_by,
        day=told.day,
        power_w=told.power_w,
        builds=told.builds,
        source=tr("{source}, line {line}", source=source, line=told.line),
        note=". ".join(filter(None, (told.note, value.note))),
    )
    where = ", ".join((device.name, setting.name, workload.name))
    return result, tr(
        "line {line} → {where}: {value} ({result_words})",
        line=told.line,
        where=where,
        value=value.words,
        result_words=result_words(result),
    )


def _factor(value: ToldValue, workload: Workload, metric: str, own_unit: str | None) -> float:
    """By what a value is multiplied to be in the unit of its metric.

    Raises
    ------
    PinchError : its unit is of another kind.
    """
    unit = own_unit if own_unit is not None else workload.score_unit if metric in MAIN else built_in(metric).unit
    factor = factor_between(value.unit, unit) if value.unit and unit else 1.0
    if factor is None:
        what = workload.name if metric in MAIN else tr("{metric} of {workload}", metric=metric, workload=workload.name)
        raise PinchError(tr("its unit is {told}, that of {what} is {unit}", told=value.unit, what=what, unit=unit))
    return factor
