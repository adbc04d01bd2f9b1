"""The log of a run: channels with their own times, and their time-weighted average over even bins.

A sample stands for the interval since the sample before it (backward convention): that is exact for
power made from an energy counter, and half a sample late for instants. A sample after a gap stands
for one usual period only, so nothing is averaged across the gap.
"""

from collections.abc import Iterable, Mapping

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

from pinch.core.errors import DataError
from pinch.language import tr

FloatArray = NDArray[np.float64]
BoolArray = NDArray[np.bool_]

GAP_PERIODS = 3.0
"""A hole longer than this many sample periods is a gap: one missed sample is usual, two in a row are not (common
practice, no source)."""
ROUNDING_S = 1e-9


class Series(Struct, frozen=True):
    """One channel. `t` (n,) in s, strictly increasing; `values` (n,) in the channel's unit, finite."""

    channel: str
    t: FloatArray
    values: FloatArray


class Gap(Struct, frozen=True):
    """A hole in the record, from the last sample before it to the first after it, s."""

    start_s: float
    end_s: float


MOST_BINS = 1_000_000
"""Bins of an even grid: twelve days of seconds. A log with a longer time in it has seen its clock set, and a bin for
every second between would take all memory there is."""


class Mark(Struct, frozen=True):
    """A moment the operator marked."""

    t_s: float
    text: str


class EvenLog(Struct, frozen=True):
    """Every channel averaged over the same bins.

    `edges` (n+1,) in s; `columns` name → (n,) with NaN where a bin holds no sample;
    `coverage` name → share of the whole record that is covered, 0 to 1.
    """

    edges: FloatArray
    columns: Mapping[str, FloatArray]
    coverage: Mapping[str, float]

    @property
    def starts(self) -> FloatArray:
        """Start of each bin, s."""
        return self.edges[:-1]

    @property
    def step_s(self) -> float:
        """Width of a bin, s."""
        return float(self.edges[1] - self.edges[0])


class RunLog(Struct, frozen=True):
    """All channels of a run, by name, with the operator's marks."""

    series: Mapping[str, Series]
    marks: tuple[Mark, ...] = ()

    @property
    def samples(self) -> int:
        """Number of single values in the log."""
        return sum(len(s.t) for s in self.series.values())

    @property
    def span_s(self) -> tuple[float, float]:
        """First and last time of any sample, s."""
        starts = [s.t[0] for s in self.series.values() if len(s.t)]
        ends = [s.t[-1] for s in self.series.values() if len(s.t)]
        return float(min(starts)), float(max(ends))

    def even(self, step_s: float = 1.0) -> EvenLog:
        """Time-weighted averages over bins of `step_s`.

        Raises
        ------
        DataError : the log holds no samples, or its time goes on for far longer than any run.
        """
        filled = {name: s for name, s in self.series.items() if len(s.t)}
        if not filled:
            raise DataError("log", tr("it holds no samples"))
        first = min(s.t[0] - period_of(s.t) for s in filled.values())
        last = max(s.t[-1] for s in filled.values())
        start = np.floor(first / step_s + 1e-6) * step_s
        if (last - start) / step_s > MOST_BINS:
            raise DataError("log", _too_long(filled.values(), first, last))
        bins = max(1, int(np.ceil((last - start) / step_s - 1e-6)))
        edges = start + step_s * np.arange(bins + 1)
        averaged = {}
        laid: _Laid | None = None
        for name, s in filled.items():
            if laid is None or not np.array_equal(laid.t, s.t):  # channels of one logger share their stamps
                laid = _laid(s.t, edges)
            averaged[name] = _bin_average(s.values, laid, edges)
        return EvenLog(
            edges,
            {name: column for name, (column, _) in averaged.items()},
            {name: share for name, (_, share) in averaged.items()},
        )


def runlog_from_columns(t: FloatArray, columns: Mapping[str, FloatArray], marks: Iterable[Mark] = ()) -> RunLog:
    """A log from one shared time axis (n,); NaN in a column means no sample there."""
    series = {}
    for name, values in columns.items():
        have = np.isfinite(values)
        series[name] = Series(name, t[have], values[have])
    return RunLog(series, tuple(marks))


def check_span(first_s: float, last_s: float) -> None:
    """Go on only where seconds from first to last are so many that a table of them can be held.

    Raises
    ------
    DataError : they are not.
    """
    if not last_s - first_s <= MOST_BINS:
        raise DataError("log", _too_long((), first_s, last_s))


def _too_long(series: Iterable[Series], first: float, last: float) -> str:
    """Why a log cannot be laid out in bins, with the place where its time jumps."""
    gaps = [
        (float(s.t[i + 1] - s.t[i]), float(s.t[i])) for s in series if len(s.t) > 1 for i in [np.diff(s.t).argmax()]
    ]
    days = (last - first) / 86_400.0
    jump_s, after_s = max(gaps, default=(0.0, 0.0))
    if jump_s > 0.5 * (last - first):
        return tr(
            "its time jumps by {jump_s:,.0f} days after {after_s:g} s: a clock was set; cut it there",
            jump_s=jump_s / 86400.0,
            after_s=after_s,
        )
    most = tr("{most_bins:.0f} days", most_bins=MOST_BINS / 86400.0)
    return tr(
        "its time goes on for {days:,.0f} days, and runs of up to {most} can be worked with", days=days, most=most
    )


def period_of(t: FloatArray) -> float:
    """The usual distance of samples (median), s; 1 s where there is only one sample."""
    return float(np.median(np.diff(t))) if len(t) > 1 else 1.0


def reach_s(t: FloatArray) -> float:
    """How far apart samples at (n,) s may be before there is a gap between them, s."""
    return GAP_PERIODS * period_of(t) + ROUNDING_S


def breaks_of(t: FloatArray) -> BoolArray:
    """Where the steps (n−1,) between samples at (n,) s are gaps."""
    return np.asarray(np.diff(t) > reach_s(t))


def gaps_of(series: Series) -> list[Gap]:
    """The gaps of a channel."""
    holes = np.flatnonzero(breaks_of(series.t))
    return [Gap(float(series.t[i]), float(series.t[i + 1])) for i in holes]


class _Laid(Struct, frozen=True):
    """Samples at (n,) s laid out in bins: what each stands for, and how much of each bin is covered, s."""

    t: FloatArray
    width: FloatArray
    knots: FloatArray
    seconds: FloatArray
    covered_s: float


def _laid(t: FloatArray, edges: FloatArray) -> _Laid:
    period = period_of(t)
    width = np.diff(t, prepend=t[0] - period)
    width = np.where(width > GAP_PERIODS * period + ROUNDING_S, period, width)
    knots = np.column_stack([t - width, t]).ravel()
    covered = np.column_stack([np.zeros_like(width), width]).ravel().cumsum()
    return _Laid(t, width, knots, np.diff(np.interp(edges, knots, covered)), float(covered[-1]))


def _bin_average(values: FloatArray, laid: _Laid, edges: FloatArray) -> tuple[FloatArray, float]:
    """Average per bin (n,) and the covered share, by differences of two running integrals."""
    weighted = np.zeros(2 * len(values))
    weighted[1::2] = laid.width * values
    integral = np.diff(np.interp(edges, laid.knots, weighted.cumsum()))
    enough = laid.seconds > 1e-3 * (edges[1] - edges[0])
    average = np.divide(integral, laid.seconds, out=np.full(len(laid.seconds), np.nan), where=enough)
    return average, min(1.0, laid.covered_s / float(edges[-1] - edges[0]))
