"""Channels of the whole processor where a log has those of its cores only."""

import re
from collections.abc import Callable

import numpy as np

from pinch.core.printing import counted
from pinch.core.runlog import FloatArray, RunLog, Series
from pinch.language import tr

_CORE = re.compile(r"cpu\.core\.\d+\.(temp|clock|load|power)")
_OF_CORES: dict[str, tuple[str, Callable[[FloatArray], FloatArray]]] = {
    "temp": (tr("highest temperature"), lambda rows: np.nanmax(rows, axis=0)),
    "clock": (tr("mean clock"), lambda rows: np.nanmean(rows, axis=0)),
    "load": (tr("mean load"), lambda rows: np.nanmean(rows, axis=0)),
    "power": (tr("sum of the power"), lambda rows: np.nansum(rows, axis=0)),
}


def with_summaries(log: RunLog) -> tuple[RunLog, tuple[str, ...]]:
    """The log with the processor's own temperature, clock, load and power where only cores have them, on one time axis;
    and a sentence for each."""
    made, notes = dict(log.series), list[str]()
    for quantity, (words, of_cores) in _OF_CORES.items():
        name = f"cpu.{quantity}"
        cores = [s for key, s in log.series.items() if (m := _CORE.fullmatch(key)) and m.group(1) == quantity]
        if name in made or (quantity == "power" and "soc.power" in made) or len(cores) < 2:
            continue
        t = cores[0].t
        if any(not np.array_equal(t, core.t) for core in cores[1:]):
            continue
        rows = np.array([core.values for core in cores])
        known = np.isfinite(rows).any(axis=0)
        values = np.full(len(t), np.nan)
        values[known] = of_cores(rows[:, known])
        made[name] = Series(name, t, values)
        notes.append(
            tr(
                "{name} is the {words} of {cores}; the log has no summary of them.",
                name=name,
                words=words,
                cores=counted(len(cores), "core"),
            )
        )
    return RunLog(made, log.marks), tuple(notes)
