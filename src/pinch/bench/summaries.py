"""Figures of a run that has no log: a score as somebody tells it, who that is, when, and how much stands behind it."""

from enum import StrEnum
from typing import Annotated

from pydantic import Field

from pinch.bench.fields import Count, Day, Part, Watts


class Origin(StrEnum):
    """Whose figure it is; stands beside it wherever it is compared."""

    OWN = "own test"
    MAKER = "maker's figure"
    THIRD = "third party"


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


def origin_words(summary: Summary) -> str:
    """Whose figure it is, of how many units and runs, by whom and of when."""
    words = [str(summary.origin)]
    if summary.units > 1:
        words.append(f"mean of {summary.units} units")
    if summary.repeats > 1 or summary.units == 1:
        words.append("1 run" if summary.repeats == 1 else f"{summary.repeats} runs")
    return ", ".join([*words, *filter(None, (summary.told_by, summary.dated))])
