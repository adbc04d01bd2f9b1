"""The metrics of workloads: those that are built in, in the unit and direction of the workload, and its own."""

from collections.abc import Iterable

from pinch.analysis.points import BookPoints
from pinch.bench.records import Workload
from pinch.core.errors import DataError
from pinch.core.frames import FRAME_RATE
from pinch.core.metrics import AVERAGE, LOW_NAMES, MAIN, SCORE, Better, Metric, built_in
from pinch.language import tr

TIMES = ("s", "min", "h")
NAMES = {"low 1 %": "low_1.percentile", "low 0.1 %": "low_0_1.percentile", "time": SCORE}
"""What commands call metrics, by key where that is another."""
BOTH = "+"
"""Between the keys of metrics that are looked at together."""


def metric_of(workload: Workload, key: str) -> Metric:
    """The metric of a key below a workload.

    Raises
    ------
    DataError : neither is it built in nor has the workload one of this name.
    """
    better = Better.MORE if workload.higher_is_better else Better.LESS
    if key == AVERAGE:
        unit = "fps" if workload.rate_channel == FRAME_RATE else workload.score_unit
        return Metric(AVERAGE, "average", unit, better)
    if key == SCORE:
        return Metric(
            SCORE, "time" if workload.score_unit in ("s", "min", "h") else "score", workload.score_unit, better
        )
    own = next((m for m in workload.metrics if m.name == key), None)
    if own is not None:
        return Metric(own.name, own.name, own.unit, own.better)
    return built_in(key)


def keys_of(measure: str) -> tuple[str, ...]:
    """The keys that a measure names: the average stands for all that a workload is about."""
    found: list[str] = []
    for name in measure.split(BOTH):
        key = NAMES.get(name.strip(), name.strip())
        found += MAIN if key == AVERAGE else (key,)
    return tuple(dict.fromkeys(found))


TYPED = (
    *(
        "lowest_1s",
        "highest_1s",
        "shown_fps",
        "stutters",
        "dropped",
        "minutes",
        "energy_pass_wall",
        "soc.power.settled",
    ),
    *("soc.power.load_max", "cpu.temp.settled", "cpu.temp.load_max", "cpu.clock.settled", "gpu.temp.load_max"),
    *("wall.power.idle_mean", "wall.power.load_mean", "noise.level.idle_mean", "noise.level.load_mean"),
)
"""What is read off a screen or told beside a score, by key."""


def typed_metrics(workload: Workload) -> list[Metric]:
    """The metrics that are offered where somebody types a result: what the workload is about, its own, and those that
    are often read off."""
    frames = LOW_NAMES if workload.rate_channel == FRAME_RATE else ()
    main = (AVERAGE, SCORE) if frames else (SCORE, AVERAGE)
    keys = (*main, *(m.name for m in workload.metrics), *frames, *TYPED)
    return [metric_of(workload, key) for key in keys]


def offered_metrics(book: BookPoints) -> list[tuple[str, str]]:
    """Keys and names of the metrics that something in a book has, what a workload is about first."""
    found = [(AVERAGE, tr("average or score"))]
    keys = dict.fromkeys(key for p in book.points for key in p.digest.lows)
    keys |= dict.fromkeys(r.metric for r in book.results if r.metric in LOW_NAMES)
    if keys:
        found.append((f"{AVERAGE}{BOTH}low_1.percentile", tr("average and 1 % low")))
    keys |= dict.fromkeys(m.name for w in book.workloads for m in w.metrics)
    keys |= dict.fromkeys(r.metric for r in book.results)
    keys |= dict.fromkeys(sorted({key for p in book.points for key in (*p.digest.figures, *p.read)}))
    found += [(key, name) for key in keys if key not in MAIN and (name := _name_of(key, book)) is not None]
    return found


def _name_of(key: str, book: BookPoints) -> str | None:
    """What a metric is called; None where no workload has one of that key any more."""
    for workload in book.workloads[:1] if key in LOW_NAMES else book.workloads:
        try:
            return metric_of(workload, key).name
        except DataError:
            continue
    return None


def is_known(measure: str, workloads: Iterable[Workload]) -> bool:
    """Whether every key of a measure is built in, or one of these workloads' own."""
    works = list(workloads)
    try:
        for key in keys_of(measure):
            if key not in MAIN and not any(m.name == key for w in works for m in w.metrics):
                built_in(key)
    except DataError:
        return False
    return True
