"""One number over many workloads: the geometric mean of ratios, which does not depend on the base (P. J. Fleming and J.
J. Wallace, Commun. ACM 29, 1986). Each workload is named, and one that stands apart is flagged, never dropped.

Its interval is that of a random effect: workloads are a sample of all that could have been chosen, so that how far they
are apart counts, not only how well each is known. All weigh the same, since a weighted mean would depend on the base;
the variance between them is then that of their moments (L. V. Hedges and I. Olkin, Statistical Methods for
Meta-Analysis, 1985, ch. 9), the interval Student's with one degree of freedom less than workloads.

Variants of one workload, such as a game in four presets, are alike in what it asks for: each workload weighs as one,
with the mean of its variants, and the workloads are what the interval counts.
"""

import math
from collections.abc import Mapping, Sequence

import numpy as np
from msgspec import Struct

from pinch.core.errors import DataError
from pinch.core.printing import counted
from pinch.core.robust import Z975, t_factor
from pinch.core.runlog import FloatArray
from pinch.core.verdict import Verdict
from pinch.language import tr

FAR = 3.5
"""Modified z-score (Iglewicz and Hoaglin, How to Detect and Handle Outliers, 1993)."""
MAD_TO_Z = 0.6745
LEAST_FOR_OUTLIERS = 4


class Index(Struct, frozen=True):
    """Geometric mean of the ratios over `workloads`, variants of so many `families`, with its 95 % interval (NaN: one
    family, of which a variant has none), the standard deviation of ln ratio between workloads (NaN: a single one),
    those that stand apart, and those that are `not_shared`, so that they are none of it."""

    ratio: float
    low: float
    high: float
    between: float
    workloads: tuple[str, ...]
    outliers: tuple[str, ...]
    not_shared: tuple[str, ...] = ()
    families: int = 1

    @property
    def extent(self) -> str:
        """Over how much it is."""
        n = len(self.workloads)
        if self.families == n:
            return counted(n, "workload")
        return tr("{n} variants of {families}", n=n, families=counted(self.families, "workload"))


def index_of(
    verdicts: Mapping[str, Verdict], not_shared: Sequence[str] = (), family_of: Mapping[str, object] | None = None
) -> Index:
    """The index over the verdicts of one pair by workload; `family_of` says what those are variants of, by their names,
    where they are.

    Raises
    ------
    DataError : there are none, or of one no ratio can be made.
    """
    if not verdicts:
        raise DataError("index", tr("there is no workload that both were tested with"))
    logs = np.log([v.ratio for v in verdicts.values()])
    if not np.isfinite(logs).all():
        raise DataError("index", tr("of one workload no ratio can be made"))
    means, within = _by_family(logs, list(verdicts.values()), [(family_of or {}).get(name, name) for name in verdicts])
    middle, between = float(means.mean()), math.nan
    if len(logs) == 1:
        (only,) = verdicts.values()
        low, high = only.low, only.high
    elif len(means) == 1:
        low, high = (math.exp(middle + sign * Z975 * math.sqrt(within[0])) for sign in (-1.0, 1.0))
    else:
        between = math.sqrt(between_variance(means, within))
        known = float(np.mean(within)) if np.isfinite(within).all() else 0.0
        reach = t_factor(0.95, len(means) - 1.0) * math.sqrt(max(float(means.var(ddof=1)), known) / len(means))
        low, high = math.exp(middle - reach), math.exp(middle + reach)
    outliers = _outliers(list(verdicts), logs)
    found = tuple(verdicts), outliers, tuple(not_shared), len(means)
    return Index(math.exp(middle), low, high, between, *found)


def _by_family(
    logs: FloatArray, verdicts: Sequence[Verdict], families: Sequence[object]
) -> tuple[FloatArray, list[float]]:
    """The mean ln ratio of each family and its variance, from those of its members."""
    means, within = [], []
    for family in dict.fromkeys(families):
        own = [n for n, of in enumerate(families) if of == family]
        means.append(float(np.mean(logs[own])))
        within.append(sum(_variance(verdicts[n]) for n in own) / len(own) ** 2)
    return np.array(means), within


def between_variance(effects: FloatArray, within: Sequence[float]) -> float:
    """The variance between (k ≥ 2,) effects: how far they are apart beyond their own (k,) variances; where one of those
    is not known (NaN), all of it."""
    apart = float(np.var(effects, ddof=1))
    return max(0.0, apart - float(np.mean(within))) if np.isfinite(within).all() else apart


def _variance(v: Verdict) -> float:
    """The variance of ln ratio, or what an interval stands for; NaN without one."""
    if math.isfinite(v.u):
        return v.u**2
    return (math.log(v.high / v.low) / (2.0 * Z975)) ** 2 if v.has_interval else math.nan


def _outliers(names: list[str], logs: np.ndarray) -> tuple[str, ...]:
    if len(names) < LEAST_FOR_OUTLIERS:
        return ()
    off = np.abs(logs - np.median(logs))
    mad = float(np.median(off))
    if mad <= 0.0:
        return ()
    return tuple(name for name, away in zip(names, off, strict=True) if MAD_TO_Z * away / mad > FAR)
