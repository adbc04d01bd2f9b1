"""What a result is of: quantities with a name, a unit, and which way is better."""

from enum import StrEnum

from msgspec import Struct

from pinch.core.channels import unit_of
from pinch.core.errors import DataError
from pinch.language import marked, tr

AVERAGE, SCORE = "average", "score"
MAIN = (AVERAGE, SCORE)
"""What a workload is about: the average of its logged rate, and its score as typed, told or printed by a command."""
_LOWS = {
    "low_1.percentile": marked("1 % low, percentile"),
    "low_1.mean_of_worst": marked("1 % low, mean of worst"),
    "low_1.time_share": marked("1 % low, time share"),
    "low_0_1.percentile": marked("0.1 % low, percentile"),
    "low_0_1.mean_of_worst": marked("0.1 % low, mean of worst"),
    "low_0_1.time_share": marked("0.1 % low, time share"),
}
LOW_NAMES = {key: tr(name) for key, name in _LOWS.items()}
STATISTICS = {
    "settled": tr("settled"),
    "idle_mean": tr("mean at rest"),
    "idle_min": tr("lowest at rest"),
    "idle_max": tr("highest at rest"),
    "load_mean": tr("mean under load"),
    "load_min": tr("lowest under load"),
    "load_max": tr("highest under load"),
}
"""What a channel comes to over a phase of a run, by the last part of a metric's key."""


class Better(StrEnum):
    """Which way a metric is better."""

    MORE = "more"
    LESS = "less"
    NEITHER = "neither"


class Metric(Struct, frozen=True):
    """A quantity that results are of. `key` tells it from all others below its workload."""

    key: str
    name: str
    unit: str
    better: Better


_NAMED = {
    "lowest_1s": (marked("lowest second"), "fps", Better.MORE),
    "highest_1s": (marked("highest second"), "fps", Better.MORE),
    "shown_fps": (marked("shown with generated frames"), "fps", Better.MORE),
    "consistency": (marked("1 % low over average"), "", Better.MORE),
    "stutters": (marked("stutters"), "", Better.LESS),
    "dropped": (marked("dropped"), "%", Better.LESS),
    "minutes": (marked("minutes on battery"), "min", Better.MORE),
    "minutes_wh": (marked("minutes for each Wh of the battery"), "min", Better.MORE),
    "energy_pass": (marked("energy of a pass, package"), "Wh", Better.LESS),
    "energy_pass_wall": (marked("energy of a pass, wall"), "Wh", Better.LESS),
}
_BETTER = {"power": Better.LESS, "temp": Better.LESS, "level": Better.LESS, "clock": Better.MORE, "rate": Better.MORE}


def key_of(name: str) -> str:
    """The key of a metric that is built in by its key or its name, in English or as it is shown; any other name as it
    is."""
    names = {**_LOWS, **{key: name for key, (name, _, _) in _NAMED.items()}}
    keys = {said.casefold(): key for key, name in names.items() for said in (name, tr(name))}
    keys |= {"score": SCORE, "time": SCORE, "average": AVERAGE, "1 % low": "low_1.percentile"}
    keys |= {"0.1 % low": "low_0_1.percentile", "low 1 %": "low_1.percentile", "low 0.1 %": "low_0_1.percentile"}
    return keys.get(name.casefold().strip(), name)


def built_in(key: str) -> Metric:
    """The metric of a key.

    Raises
    ------
    DataError : there is none.
    """
    if key in LOW_NAMES:
        return Metric(key, LOW_NAMES[key], "fps", Better.MORE)
    if key in _NAMED:
        name, unit, better = _NAMED[key]
        return Metric(key, tr(name), unit, better)
    channel, _, statistic = key.rpartition(".")
    if channel and statistic in STATISTICS and (unit := unit_of(channel)):
        better = _BETTER.get(channel.rpartition(".")[2], Better.NEITHER)
        return Metric(key, f"{channel}, {STATISTICS[statistic]}", unit, better)
    raise DataError("metric", tr("there is none of the name {key!r}", key=key))
