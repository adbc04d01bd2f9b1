"""Figures of a run that has no log: a score as somebody tells it, who that is, when, and how much stands behind it."""

from enum import StrEnum
from typing import Annotated, Protocol

from pydantic import Field

from pinch.bench.fields import Count, Day, Part, Watts
from pinch.core.printing import counted
from pinch.language import day_words, tr


class Origin(StrEnum):
    """Whose figure it is; stands beside it wherever it is compared."""

    OWN = "own test"
    MAKER = "maker's figure"
    THIRD = "third party"
    ARCHIVE = "archive mean"


class ToldResult(Protocol):
    """A result that no log gives."""

    origin: Origin
    units: int
    n: int
    told_by: str
    day: str


class Summary(Part):
    """A score in the unit of its workload, with what is known of it: its standard deviation over `repeats` runs, and on
    how many `units` of the device they were done; `power_w` is the settled package power that is told with it."""

    score: float
    spread: Annotated[float, Field(ge=0)] | None = None
    repeats: Count = 1
    units: Count = 1
    power_w: Watts | None = None
    origin: Origin = Origin.OWN
    told_by: Annotated[str, Field(max_length=200)] = ""
    dated: Day = ""

    @property
    def behind(self) -> int:
        """How many values the spread is of: units where there are several, else runs."""
        return self.units if self.units > 1 else self.repeats


def origin_words(summary: Summary) -> str:
    """Whose figure it is, of how many units and runs, by whom and of when."""
    behind = _behind(summary.units, summary.repeats)
    return ", ".join([tr(summary.origin), *behind, *filter(None, (summary.told_by, day_words(summary.dated)))])


def result_words(result: ToldResult) -> str:
    """The same of a typed result."""
    own = tr("typed by hand") if result.origin is Origin.OWN else tr(result.origin)
    return ", ".join([own, *_behind(result.units, result.n), *filter(None, (result.told_by, day_words(result.day)))])


def _behind(units: int, runs: int) -> list[str]:
    """How much stands behind a figure."""
    words = [tr("mean of {units} units", units=units)] if units > 1 else []
    if runs > 1 or units == 1:
        words.append(counted(runs, "run"))
    return words
