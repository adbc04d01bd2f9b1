"""Channels of the whole processor where a log has those of its cores only."""

import re
from collections.abc import Callable, Sequence
from functools import reduce

import numpy as np

from pinch.core.printing import counted
from pinch.core.runlog import FloatArray, RunLog, Series
from pinch.language import tr

_CORE = re.compile(r"cpu\.core\.\d+\.(temp|clock|load|power)")


def _highest(cores: Sequence[FloatArray]) -> FloatArray:
    return reduce(np.maximum, cores)


def _sum(cores: Sequence[FloatArray]) -> FloatArray:
    return reduce(np.add, cores)


def _mean(cores: Sequence[FloatArray]) -> FloatArray:
    return np.asarray(_sum(cores) / len(cores))


_OF_CORES: dict[str, tuple[str, Callable[[Sequence[FloatArray]], FloatArray]]] = {
    "temp": (tr("highest temperature"), _highest),
    "clock": (tr("mean clock"), _mean),
    "load": (tr("mean load"), _mean),
    "power": (tr("sum of the power"), _sum),
}
"""One core after the other, so that no second copy of a large log is made."""


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
        if any(core.t is not t and not np.array_equal(t, core.t) for core in cores[1:]):
            continue
        made[name] = Series(name, t, of_cores([core.values for core in cores]))
        notes.append(
            tr(
                "{name} is the {words} of {cores}; the log has no summary of them.",
                name=name,
                words=words,
                cores=counted(len(cores), "core"),
            )
        )
    return RunLog(made, log.marks), tuple(notes)
