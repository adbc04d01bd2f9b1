"""One number over many workloads: the geometric mean of ratios, which does not depend on the base (P. J. Fleming and J.
J. Wallace, Commun. ACM 29, 1986). Each workload is named, and one that stands apart is flagged, never dropped."""

import math
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from pinch.core.errors import DataError
from pinch.core.verdict import Verdict

FAR = 3.5
"""Modified z-score (Iglewicz and Hoaglin, How to Detect and Handle Outliers, 1993)."""
MAD_TO_Z = 0.6745
LEAST_FOR_OUTLIERS = 4


@dataclass(frozen=True)
class Index:
    """Geometric mean of the ratios over `workloads`, with its 95 % interval from those of the ratios (NaN: one has
    none), and the workloads that stand apart."""

    ratio: float
    low: float
    high: float
    workloads: tuple[str, ...]
    outliers: tuple[str, ...]


def index_of(verdicts: Mapping[str, Verdict]) -> Index:
    """The index over the verdicts of one pair by workload.

    Raises
    ------
    DataError : there are none.
    """
    if not verdicts:
        raise DataError("index", "there is no workload that both were tested with")
    logs = np.log([v.ratio for v in verdicts.values()])
    reach = math.nan
    if all(v.has_interval for v in verdicts.values()):
        halves = [math.log(v.high / v.low) / 2.0 for v in verdicts.values()]
        reach = math.sqrt(sum(h * h for h in halves)) / len(halves)
    middle = float(logs.mean())
    ratio, low, high = (math.exp(x) for x in (middle, middle - reach, middle + reach))
    return Index(ratio, low, high, tuple(verdicts), _outliers(list(verdicts), logs))


def _outliers(names: list[str], logs: np.ndarray) -> tuple[str, ...]:
    if len(names) < LEAST_FOR_OUTLIERS:
        return ()
    off = np.abs(logs - np.median(logs))
    mad = float(np.median(off))
    if mad <= 0.0:
        return ()
    return tuple(name for name, away in zip(names, off, strict=True) if MAD_TO_Z * away / mad > FAR)
